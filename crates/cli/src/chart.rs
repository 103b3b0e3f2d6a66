//! Files of figures on the command line.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use anyhow::Context as _;
use clap::Subcommand;
use upright_core::chart::check::check;
use upright_core::chart::notation::{self, Lines, Reading, Written};
use upright_core::chart::{Draft, Severity, exchange};

#[derive(Subcommand)]
pub enum Command {
    /// Checks figures and says at which line and column what is wrong. Ends with 1 when something is.
    Check {
        /// Files in the text notation, or JSON documents (.json).
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// Says nothing of what is only worth knowing.
        #[arg(long)]
        quiet: bool,
    },
    /// Prints figures in columns.
    Fmt {
        /// File in the text notation.
        file: PathBuf,
        /// Writes them back into the file.
        #[arg(long)]
        write: bool,
    },
    /// Converts between the text notation and JSON; the endings say which is which.
    Convert {
        /// What to read: .chart or .json.
        from: PathBuf,
        /// What to write: .chart or .json.
        to: PathBuf,
    },
    /// Prints the JSON Schema of the exchange document.
    Schema,
}

fn is_json(path: &Path) -> bool {
    path.extension().is_some_and(|e| e == "json")
}

/// Figures of a file, with their lines where it is text.
fn read(path: &Path) -> anyhow::Result<Reading> {
    let text = std::fs::read_to_string(path)
        .with_context(|| format!("{} cannot be read", path.display()))?;
    if !is_json(path) {
        return Ok(notation::read(&text));
    }
    let drafts = exchange::read(&text).with_context(|| path.display().to_string())?;
    let figures = drafts.into_iter().map(|draft| Written {
        draft,
        lines: Lines::default(),
    });
    Ok(Reading {
        figures: figures.collect(),
        errors: Vec::new(),
    })
}

/// Drafts of a file without a mistake in its form.
fn drafts(path: &Path) -> anyhow::Result<Vec<Draft>> {
    let r = read(path)?;
    if let Some(e) = r.errors.first() {
        anyhow::bail!("{}: {e}", path.display());
    }
    Ok(r.figures.into_iter().map(|w| w.draft).collect())
}

/// Carries the command out.
pub fn run(command: Command) -> anyhow::Result<ExitCode> {
    match command {
        Command::Check { files, quiet } => {
            let mut wrong = 0;
            for file in &files {
                wrong += report(file, quiet)?;
            }
            if wrong > 0 {
                eprintln!("{wrong} to mend.");
                return Ok(ExitCode::FAILURE);
            }
        }
        Command::Fmt { file, write } => {
            let text = notation::print_all(&drafts(&file)?);
            if write {
                std::fs::write(&file, text)?;
            } else {
                print!("{text}");
            }
        }
        Command::Convert { from, to } => {
            let all = drafts(&from)?;
            let text = if is_json(&to) {
                exchange::write(&all)
            } else {
                notation::print_all(&all)
            };
            std::fs::write(&to, text)
                .with_context(|| format!("{} cannot be written", to.display()))?;
        }
        Command::Schema => println!("{}", serde_json::to_string_pretty(&exchange::schema())?),
    }
    Ok(ExitCode::SUCCESS)
}

/// Prints what is wrong with a file's figures and counts what stops one.
fn report(file: &Path, quiet: bool) -> anyhow::Result<usize> {
    let read = read(file)?;
    let name = file.display();
    for e in &read.errors {
        println!("{name}:{}:{}: {e}", e.line, e.column);
    }
    let mut wrong = read.errors.len();
    if wrong == 0 && read.figures.is_empty() {
        println!("{name}: no figure; begin one with a line “figure name: Title”.");
        return Ok(1);
    }
    for w in &read.figures {
        for p in check(&w.draft).1 {
            let stops = p.severity == Severity::Stops;
            wrong += usize::from(stops);
            if quiet && !stops {
                continue;
            }
            let place = if w.lines == Lines::default() {
                format!("{name}")
            } else {
                let (line, column) = w.lines.at(&p.at);
                format!("{name}:{line}:{column}")
            };
            let kind = match p.severity {
                Severity::Stops => "wrong",
                Severity::Excepted => "excepted",
                Severity::Advice => "advice",
            };
            println!(
                "{place}: {} {kind} ({}): {}",
                w.draft.id,
                p.rule.word(),
                p.sentence
            );
            if let Some(s) = p.suggestion {
                println!("    {s}");
            }
        }
    }
    Ok(wrong)
}
