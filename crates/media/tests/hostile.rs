//! What must never become a clip, or must become one without harm: each ends soon, in words or playable,
//! and reads nothing but itself.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use rand::{RngCore as _, SeedableRng as _};
use upright_media::{FrameTimes, MediaError, frame_times, make_proxy, probe};

/// What an upload goes through.
async fn take_in(path: &Path) -> Result<FrameTimes, MediaError> {
    let found = probe(path).await?;
    let to = path.with_file_name("proxy of it.mp4");
    make_proxy(path, &to, &found, |_| ()).await?;
    probe(&to).await?;
    frame_times(&to).await
}

/// A folder of files that are made by ffmpeg or by hand.
struct Folder(tempfile::TempDir);

impl Folder {
    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn file(&self, name: &str, bytes: impl AsRef<[u8]>) -> PathBuf {
        let to = self.path(name);
        std::fs::write(&to, bytes).unwrap();
        to
    }

    /// Made by ffmpeg from these arguments.
    fn made(&self, name: &str, args: &str) -> PathBuf {
        let to = self.path(name);
        let mut c = Command::new("ffmpeg");
        c.args(["-v", "error", "-y"]).args(args.split(' ')).arg(&to);
        let done = c.output().unwrap();
        let said = String::from_utf8_lossy(&done.stderr);
        assert!(done.status.success(), "{name}: {said}");
        to
    }
}

/// The box of this kind in an MP4 file: where its content begins.
fn content(file: &[u8], kind: &[u8; 4]) -> usize {
    file.windows(4).position(|w| w == kind).unwrap() + 4
}

/// The file with other bytes at a place.
fn patched(file: &[u8], at: usize, bytes: &[u8]) -> Vec<u8> {
    let mut file = file.to_vec();
    file[at..at + bytes.len()].copy_from_slice(bytes);
    file
}

const PICTURE: &str = "-f lavfi -i testsrc2=size=320x180:rate=25:duration=2";

/// Files that are no film of a couple, whatever their names say.
fn refused(d: &Folder) -> Vec<PathBuf> {
    let whole = std::fs::read(d.made(
        "whole.mp4",
        &format!("{PICTURE} -c:v libx264 -movflags +faststart"),
    ))
    .unwrap();
    let late = std::fs::read(d.made("late.mp4", &format!("{PICTURE} -c:v libx264"))).unwrap();
    let secret = d.file("secret.txt", "nobody must read this");
    let secret = secret.display();
    let mut noise = vec![0; 50_000];
    rand_chacha::ChaCha8Rng::seed_from_u64(7).fill_bytes(&mut noise);
    let ftyp: &[u8] = b"\0\0\0\x18ftypmp42\0\0\0\0mp42isom";
    let mut deep = ftyp.to_vec();
    for left in (1..=4_000u32).rev() {
        deep.extend((8 * left).to_be_bytes());
        deep.extend(b"moov");
    }
    let cover = d.made("cover.png", "-f lavfi -i testsrc2=size=320x320 -frames:v 1");
    let cover = format!(
        "-f lavfi -i sine=duration=2 -i {} -map 0 -map 1 -c:a aac -c:v png -disposition:v:0 attached_pic",
        cover.display()
    );
    let words = d.file("words.srt", "1\n00:00:00,000 --> 00:00:02,000\nwords\n");
    let mut years = whole.clone();
    for kind in [b"mvhd", b"mdhd"] {
        let at = content(&whole, kind) + 16;
        years[at..at + 4].copy_from_slice(&0x7FFF_FFFFu32.to_be_bytes());
    }
    let text = |name: &str, words: String| d.file(name, words);
    vec![
        d.file("empty.mp4", ""),
        d.file("one byte.mp4", [0]),
        text("text.mp4", "this is no video".into()),
        text("page.mp4", "<!doctype html><video src=/etc/passwd>".into()),
        text("data.mp4", format!("{{\"file\":\"{secret}\"}}")),
        d.file("archive.mp4", b"PK\x03\x04\x14\0\0\0\x08\0"),
        d.file("print.mp4", b"%PDF-1.7\n%\xE2\xE3\xCF\xD3\n"),
        d.file("program.mp4", b"\x7FELF\x02\x01\x01\0\0\0\0\0\0\0\0\0"),
        d.file("noise.mp4", &noise),
        d.file("noise behind a name.mp4", [ftyp, &noise].concat()),
        d.file("zeroes.mp4", vec![0; 100_000]),
        text("list.mp4", format!("ffconcat version 1.0\nfile '{secret}'\n")),
        text("playlist.mp4", format!("#EXTM3U\n#EXTINF:1,\nfile://{secret}\n#EXT-X-ENDLIST\n")),
        text("net.mp4", "#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1:9/a.ts\n#EXT-X-ENDLIST\n".into()),
        text("session.mp4", "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 9 RTP/AVP 96\n".into()),
        text("manifest.mp4", format!("<?xml version=\"1.0\"?><MPD xmlns=\"urn:mpeg:dash:schema:mpd:2011\" mediaPresentationDuration=\"PT2S\"><Period><AdaptationSet><Representation id=\"1\"><BaseURL>file://{secret}</BaseURL></Representation></AdaptationSet></Period></MPD>")),
        text("drawing.mp4", format!("<svg xmlns=\"http://www.w3.org/2000/svg\"><image href=\"{secret}\"/></svg>")),
        text("script.mp4", "movie=/etc/passwd[out0]".into()),
        d.made("still.jpg", "-f lavfi -i testsrc2=size=320x180 -frames:v 1"),
        d.made("still.png", "-f lavfi -i testsrc2=size=320x180 -frames:v 1"),
        d.made("moving.gif", PICTURE),
        d.made("sound.mp3", "-f lavfi -i sine=duration=2"),
        d.made("sound.wav", "-f lavfi -i sine=duration=2"),
        d.made("sound.m4a", "-f lavfi -i sine=duration=2 -c:a aac"),
        d.made("cover.m4a", &cover),
        d.made("words.mkv", &format!("-i {}", words.display())),
        d.made("old.avi", PICTURE),
        d.made("broadcast.ts", PICTURE),
        d.file("nothing but a name.mp4", &whole[..40]),
        d.file("index cut.mp4", &whole[..600]),
        d.file("index lost.mp4", &late[..late.len() - 400]),
        d.file("boxes in boxes.mp4", deep),
        d.file("years.mp4", years),
        d.made("blink.mp4", "-f lavfi -i testsrc2=size=320x180:rate=25:duration=0.2 -c:v libx264"),
        d.made("long.mp4", "-f lavfi -i testsrc2=size=160x160:rate=1:duration=960 -c:v libx264 -preset ultrafast"),
        d.made("tiny.mp4", "-f lavfi -i testsrc2=size=64x64:rate=25:duration=1 -c:v libx264"),
        d.made("wide.webm", "-f lavfi -i testsrc2=size=4608x160:rate=2:duration=1 -c:v libvpx-vp9 -deadline realtime -cpu-used 8"),
        d.path("never sent.mp4"),
        d.0.path().to_path_buf(),
    ]
}

/// Broken or odd films: they may become playable or be refused, but soon and in words.
fn borne(d: &Folder) -> Vec<PathBuf> {
    let film = d.made(
        "film.mp4",
        &format!(
            "{PICTURE} -f lavfi -i sine=duration=2 -c:v libx264 -c:a aac -movflags +faststart"
        ),
    );
    let whole = std::fs::read(&film).unwrap();
    let web = std::fs::read(d.made(
        "film.webm",
        &format!("{PICTURE} -c:v libvpx-vp9 -deadline realtime -cpu-used 8"),
    ))
    .unwrap();
    let mut random = rand_chacha::ChaCha8Rng::seed_from_u64(8);
    let mdat = content(&whole, b"mdat");
    let mut blank = whole.clone();
    blank[mdat..].fill(0);
    let mut bitten = whole.clone();
    for at in (mdat..whole.len()).step_by(97) {
        bitten[at] = (random.next_u32() & 0xFF) as u8;
    }
    let mut index = whole.clone();
    for at in (content(&whole, b"stbl")..mdat - 8).step_by(41) {
        index[at] ^= 0x55;
    }
    let mut huge_moov = whole.clone();
    let at = content(&whole, b"moov") - 8;
    huge_moov[at..at + 4].copy_from_slice(&u32::MAX.to_be_bytes());
    let at = content(&whole, b"stsz") + 8;
    let billions = patched(&whole, at, &u32::MAX.to_be_bytes());
    let none = patched(&whole, at, &[0; 4]);
    let giant = patched(&whole, content(&whole, b"avc1") + 24, &[0xFF; 4]);
    let elsewhere = patched(&whole, content(&whole, b"url "), &[0; 4]);
    let mut named = whole.clone();
    let at = content(&whole, b"url ") - 8;
    named[at + 4..at + 8].copy_from_slice(b"alis");
    vec![
        d.file("film cut.mp4", &whole[..whole.len() / 2]),
        d.file("film blank.mp4", blank),
        d.file("film bitten.mp4", bitten),
        d.file("index bitten.mp4", index),
        d.file("index without end.mp4", huge_moov),
        d.file("billions of pictures.mp4", billions),
        d.file(
            "index renamed.mp4",
            patched(&whole, content(&whole, b"moov") - 4, b"free"),
        ),
        d.file("no pictures.mp4", none),
        d.file("giant pictures.mp4", giant),
        d.file("samples elsewhere.mp4", elsewhere),
        d.file("samples by alias.mp4", named),
        d.file("web cut.webm", &web[..web.len() / 2]),
        d.file("web bitten.webm", patched(&web, 60, &[0xFF; 9])),
        d.made(
            "all at once.mp4",
            &format!("-i {} -c copy -bsf:v setts=pts=0:dts=0", film.display()),
        ),
        d.made(
            "backwards.mkv",
            &format!(
                "-i {} -an -c copy -bsf:v setts=pts=100000-PTS",
                film.display()
            ),
        ),
        d.made(
            "leaps.mkv",
            &format!(
                "-i {} -an -c copy -bsf:v setts=ts=TS*(1+200*gt(N\\,30))",
                film.display()
            ),
        ),
        d.made(
            "one picture.mp4",
            "-f lavfi -i testsrc2=size=320x180:rate=1:duration=1 -c:v libx264",
        ),
        d.made(
            "hurried.mp4",
            "-f lavfi -i testsrc2=size=160x160:rate=2000:duration=2 -c:v libx264 -preset ultrafast",
        ),
    ]
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn files_that_are_no_film_are_refused_in_words() {
    let d = Folder(tempfile::tempdir().unwrap());
    let files = refused(&d);
    assert!(files.len() >= 30, "{}", files.len());
    for file in files {
        let name = file.display();
        let end = tokio::time::timeout(Duration::from_secs(240), take_in(&file))
            .await
            .unwrap_or_else(|_| panic!("{name} does not end"));
        let e = end.expect_err(&format!("{name} is taken for a film"));
        let expected = match file.file_name().and_then(|n| n.to_str()).unwrap() {
            "sound.m4a" | "cover.m4a" | "words.mkv" => matches!(e, MediaError::NoPicture),
            "blink.mp4" | "long.mp4" | "years.mp4" => matches!(e, MediaError::Length(_)),
            "tiny.mp4" => matches!(e, MediaError::Size(64, 64)),
            "wide.webm" => matches!(e, MediaError::Size(4608, 160)),
            _ => matches!(e, MediaError::NotAVideo | MediaError::NoPicture),
        };
        assert!(expected, "{name}: {e:?}");
        // What the coach reads says what is wrong, not what the tool said.
        let said = e.to_string();
        assert!(
            said.len() > 30 && !said.contains("ffmpeg"),
            "{name}: {said}"
        );
        assert!(!d.path("proxy of it.mp4").exists(), "{name}");
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn broken_films_end_soon_playable_or_in_words() {
    let d = Folder(tempfile::tempdir().unwrap());
    let mut ends = BTreeMap::new();
    for file in borne(&d) {
        let name = file.file_name().unwrap().to_str().unwrap().to_owned();
        let end = tokio::time::timeout(Duration::from_secs(240), take_in(&file))
            .await
            .unwrap_or_else(|_| panic!("{name} does not end"));
        match &end {
            Ok(f) => {
                assert_eq!(f.times[0], 0, "{name}");
                assert!(f.times.windows(2).all(|w| w[0] < w[1]), "{name}");
            }
            Err(e) => {
                assert!(
                    !matches!(e, MediaError::Io(_) | MediaError::TimedOut),
                    "{name}: {e:?}"
                );
                assert!(e.to_string().len() > 30, "{name}");
            }
        }
        ends.insert(name, end.map(|f| f.times.len()));
    }
    // Half a film is half a film.
    let cut = ends["film cut.mp4"].as_ref().unwrap();
    assert!((5..50).contains(cut), "{cut} pictures of half a film");
    assert!(ends["film blank.mp4"].is_err());
}

#[tokio::test]
async fn a_strange_name_stays_a_name() {
    let d = Folder(tempfile::tempdir().unwrap());
    let film = d.made("film.mp4", &format!("{PICTURE} -c:v libx264"));
    for name in [
        "-i %03d.mp4",
        "pipe:0.mp4",
        "concat:a|b.mp4",
        "new\nline.mp4",
        "http:..mp4",
        "quote'\"$(touch x);.mp4",
    ] {
        let to = d.path(name);
        std::fs::copy(&film, &to).unwrap();
        let times = take_in(&to)
            .await
            .unwrap_or_else(|e| panic!("{name}: {e:?}"));
        assert_eq!(times.times.len(), 50, "{name}");
    }
}
