//! A whole studio in one file, in open formats, and back into an empty one.
//!
//! `studio.json` holds every row (its shape in `schema.json`); `readings.csv` and `corrections.csv` are tables for
//! other programs; `calendar.ics` the dates; `notes/` a WebVTT file for each take with corrections; `media/` the
//! original clips and their playable copies, where they are asked for.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read as _, Write as _};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use serde_json::json;
use upright_core::take::table::word;
use upright_store::{ArchiveError, ContentHash, Correction, PersonReading, Rows, StudioId, Take};
use upright_studio::Scenario;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipArchive, ZipWriter};

use crate::problem::Problem;
use crate::review::apart;
use crate::{App, calendar, intake, notes};

const FORMAT: &str = "upright-pair-studio";
const VERSION: u32 = 1;

/// Largest `studio.json` that is read, bytes: it is held in memory while it is checked.
const MOST_ROWS: u64 = 256_000_000;

/// Most files of an archive, and how many times as large as it is packed any of them may be.
const MOST_ENTRIES: usize = 200_000;
const MOST_PACKED: u64 = 200;

/// Everything of a studio but its files.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Whole {
    format: String,
    version: u32,
    studio: Named,
    tables: Rows,
}

/// A studio's name and evening.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Named {
    name: String,
    event: Option<String>,
    event_on: Option<String>,
}

fn damaged(e: &dyn std::fmt::Display) -> Problem {
    tracing::info!(error = %e, "archive refused");
    Problem::invalid(
        "This is no archive of a studio, or it is damaged. Choose a file that was exported here.",
    )
}

fn cell(text: &str) -> String {
    format!(
        "\"{}\"",
        text.replace('"', "\"\"").replace(['\n', '\r'], " ")
    )
}

/// One judged fault of one take for a person a line.
fn readings(all: &[PersonReading]) -> String {
    let mut out = String::from(
        "date,person,partner,role,figure,fault,measure,value,sigma,showing,of,tempo,place,floor,shoes\n",
    );
    for r in all {
        let tempo = r.tempo.map_or_else(String::new, |t| format!("{t:.1}"));
        out += &format!(
            "{},{},{},{},{},{},{},{:.5},{:.5},{},{},{tempo},{},{},{}\n",
            r.held_on.to_jiff(),
            r.person_id,
            cell(&r.partner),
            word(&r.danced_as()),
            cell(&r.chart),
            r.fault,
            r.measure.as_deref().unwrap_or(""),
            r.value,
            r.sigma,
            r.showing,
            r.measured,
            cell(&r.place),
            cell(&r.floor),
            cell(&r.shoes),
        );
    }
    out
}

/// One correction a line.
fn corrections(all: &[Correction]) -> String {
    let mut out = String::from(
        "seen_on,person,role,figure,count,fault,value,sigma,unit,showing,of,cue,drill,step,target,caution,look_again_on\n",
    );
    for c in all {
        let again = c
            .recheck_on
            .map_or_else(String::new, |d| d.to_jiff().to_string());
        out += &format!(
            "{},{},{},{},{},{},{:.5},{:.5},{},{},{},{},{},{},{},{},{again}\n",
            c.seen_on.to_jiff(),
            cell(&c.person),
            c.role,
            cell(&c.chart),
            cell(c.count.as_deref().unwrap_or("")),
            c.fault,
            c.value,
            c.sigma,
            c.unit,
            c.showing,
            c.measured,
            cell(&c.cue),
            cell(&c.drill),
            c.drill_step,
            cell(&c.target),
            cell(c.caution.as_deref().unwrap_or("")),
        );
    }
    out
}

/// Keys of the files that rows name.
fn keys(tables: &Rows) -> Vec<String> {
    let clips = tables.get("clip").into_iter().flatten();
    let mut all: Vec<String> = clips
        .flat_map(|c| {
            ["original", "proxy"].map(|k| c.get(k).and_then(|v| v.as_str()).map(str::to_owned))
        })
        .flatten()
        .collect();
    all.sort();
    all.dedup();
    all
}

/// Writes a studio's archive to `to`.
pub async fn export(app: &App, studio: StudioId, media: bool, to: &Path) -> Result<(), Problem> {
    let store = app.store();
    let of = store.studio(studio).await?;
    let mut tables = store.archive_rows(studio).await?;
    let files = if media { keys(&tables) } else { Vec::new() };
    if !media {
        for clip in tables.get_mut("clip").into_iter().flatten() {
            clip["state"] = json!("not_kept");
            clip["original"] = json!(null);
            clip["proxy"] = json!(null);
        }
    }
    let logged = store.corrections(studio, None).await?;
    let mut texts: Vec<(String, String)> = vec![
        (
            "readings.csv".into(),
            readings(&store.readings(studio, None).await?),
        ),
        (
            "corrections.csv".into(),
            corrections(&store.corrections(studio, None).await?),
        ),
        ("calendar.ics".into(), calendar::file(app, studio).await?),
    ];
    // A take without corrections has nothing to be shown as subtitles.
    let noted = |t: &&Take| t.count_ready && logged.iter().any(|c| c.take_id == t.id);
    for t in store.takes(studio).await?.iter().filter(noted) {
        let name = format!("notes/{}-{}-{}.vtt", t.held_on.to_jiff(), t.number, t.id);
        texts.push((name, notes::notes(app, studio, t.id).await?));
    }
    let whole = Whole {
        format: FORMAT.into(),
        version: VERSION,
        studio: Named {
            name: of.name,
            event: of.event,
            event_on: of.event_on.map(|d| d.to_jiff().to_string()),
        },
        tables,
    };
    let schema = json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A studio of Upright Pair",
        "type": "object",
        "required": ["format", "version", "studio", "tables"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "studio": {"type": "object", "required": ["name"], "properties": {
                "name": {"type": "string"}, "event": {"type": ["string", "null"]},
                "event_on": {"type": ["string", "null"]},
            }},
            "tables": store.archive_schema().await?,
        },
    });
    texts.push(("schema.json".into(), pretty(&schema)?));
    texts.push(("studio.json".into(), pretty(&whole)?));
    let place = intake::workplace(app)?;
    let mut fetched = Vec::new();
    for (i, key) in files.iter().enumerate() {
        let file = place.path().join(i.to_string());
        app.blobs().fetch(key, &file).await?;
        fetched.push((format!("media/{key}"), file));
    }
    let to = to.to_owned();
    apart(move || write(&to, &texts, &fetched).map_err(|e| Problem::internal(&e))).await?
}

fn pretty(value: &impl Serialize) -> Result<String, Problem> {
    serde_json::to_string_pretty(value).map_err(|e| Problem::internal(&e))
}

fn write(
    to: &Path,
    texts: &[(String, String)],
    files: &[(String, PathBuf)],
) -> zip::result::ZipResult<()> {
    let mut out = ZipWriter::new(File::create(to)?);
    let packed = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
    for (name, text) in texts {
        out.start_file(name, packed)?;
        out.write_all(text.as_bytes())?;
    }
    // Films are compressed already.
    let stored = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Stored)
        .large_file(true);
    for (name, file) in files {
        out.start_file(name, stored)?;
        std::io::copy(&mut File::open(file)?, &mut out)?;
    }
    out.finish()?;
    Ok(())
}

/// Brings an archive into an empty studio: all of it or nothing.
pub async fn import(app: &App, studio: StudioId, from: &Path) -> Result<(), Problem> {
    let path = from.to_owned();
    let whole = apart(move || read(&path)).await??;
    if whole.format != FORMAT || whole.version != VERSION {
        return Err(Problem::invalid(format!(
            "This archive has the version {}; this program reads version {VERSION}.",
            whole.version
        )));
    }
    if !app.store().is_empty(studio).await? {
        return Err(ArchiveError::NotEmpty.into());
    }
    let mut tables = whole.tables;
    for row in tables.get("practice").into_iter().flatten() {
        let scenario = row.get("scenario").cloned().unwrap_or_default();
        serde_json::from_value::<Scenario>(scenario).map_err(|e| damaged(&e))?;
    }
    let wanted = keys(&tables);
    let place = intake::workplace(app)?;
    let (path, folder, asked) = (from.to_owned(), place.path().to_owned(), wanted.clone());
    let there = apart(move || unpack(&path, &folder, &asked)).await??;
    // Where a file lies is worked out from what is in it, and within this studio's own folder: what the archive calls it
    // is only how rows and files find each other. Clips whose file is not there are not kept.
    let mut ours = BTreeMap::new();
    for (key, file) in &there {
        ours.insert(key.as_str(), (format!("{}/{}", studio.0, file.hash), file));
    }
    for clip in tables.get_mut("clip").into_iter().flatten() {
        let name = |of: &str| {
            clip.get(of)
                .and_then(|v| v.as_str())
                .map(|key| ours.get(key))
        };
        let named = ["original", "proxy"].map(name);
        let all = named.iter().all(|n| n.is_none_or(|found| found.is_some()));
        let named = named.map(|n| json!(n.flatten().filter(|_| all).map(|(key, _)| key)));
        if !all {
            clip["state"] = json!("not_kept");
        }
        [clip["original"], clip["proxy"]] = named;
    }
    // Files first: a row never names a file that is not there. What fails takes them away again.
    let mut put = Vec::new();
    let done = async {
        for (key, file) in ours.values() {
            if !app.blobs().has(key).await {
                put.push(key.as_str());
                app.blobs().put_file(key, &file.path).await?;
            }
        }
        let event = whole
            .studio
            .event
            .as_deref()
            .zip(whole.studio.event_on.as_deref());
        app.store()
            .bring_rows(studio, (&whole.studio.name, event), tables)
            .await?;
        Ok(())
    }
    .await;
    if done.is_err() {
        for key in put {
            if let Err(e) = app.blobs().remove(key).await {
                tracing::warn!(%e, key, "a file of an archive that was refused stays");
            }
        }
    }
    done
}

/// Refuses an entry that says it is far larger than it can be, as archives are made that fill a disk.
fn plausible(entry: &zip::read::ZipFile<'_, File>, most: u64) -> Result<(), Problem> {
    let (size, packed) = (entry.size(), entry.compressed_size());
    if size > most || size / MOST_PACKED > packed + 1000 {
        return Err(Problem::invalid(format!(
            "The archive's “{}” says that it holds {size} bytes in {packed}, which is more than is read.",
            entry.name()
        )));
    }
    Ok(())
}

fn read(path: &Path) -> Result<Whole, Problem> {
    let file = File::open(path).map_err(|e| Problem::internal(&e))?;
    let mut zip = ZipArchive::new(file).map_err(|e| damaged(&e))?;
    if zip.len() > MOST_ENTRIES {
        return Err(Problem::invalid(
            "This archive holds too many files to be read.",
        ));
    }
    let entry = zip.by_name("studio.json").map_err(|e| damaged(&e))?;
    plausible(&entry, MOST_ROWS)?;
    // What the entry says of its size may be wrong.
    serde_json::from_reader(std::io::BufReader::new(entry.take(MOST_ROWS))).map_err(|e| damaged(&e))
}

/// A file out of an archive.
struct Unpacked {
    path: PathBuf,
    /// Of its content.
    hash: String,
}

/// Unpacks the files that are asked for into a folder, by number; names inside the archive are never paths here.
fn unpack(path: &Path, folder: &Path, keys: &[String]) -> Result<Vec<(String, Unpacked)>, Problem> {
    let file = File::open(path).map_err(|e| Problem::internal(&e))?;
    let mut zip = ZipArchive::new(file).map_err(|e| damaged(&e))?;
    let mut out = Vec::new();
    for (i, key) in keys.iter().enumerate() {
        let Ok(mut entry) = zip.by_name(&format!("media/{key}")) else {
            continue;
        };
        plausible(&entry, crate::MOST_CLIP)?;
        let to = folder.join(i.to_string());
        let mut kept = File::create(&to).map_err(|e| Problem::internal(&e))?;
        let mut hash = ContentHash::default();
        let (mut piece, mut bytes) = (vec![0; 256 * 1024], 0);
        loop {
            let n = entry.read(&mut piece).map_err(|e| damaged(&e))?;
            bytes += n as u64;
            if n == 0 {
                break;
            }
            if bytes > crate::MOST_CLIP {
                return Err(Problem::too_large(crate::MOST_CLIP));
            }
            hash.update(&piece[..n]);
            kept.write_all(&piece[..n])
                .map_err(|e| Problem::internal(&e))?;
        }
        let hash = hash.finish();
        out.push((key.clone(), Unpacked { path: to, hash }));
    }
    Ok(out)
}
