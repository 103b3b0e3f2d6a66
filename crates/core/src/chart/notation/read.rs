//! Text to drafts, line by line: one broken line does not hide what is wrong in the others.

use winnow::error::{ContextError, ErrMode, ParseError, StrContext, StrContextValue};

use super::cell::{RoleCell, couple_cell, role_cell};
use super::{MOST_BYTES, SyntaxError};
use crate::chart::check::Place;
use crate::chart::draft::{Comment, Draft, Exception, Start};
use crate::chart::vocabulary::{Hold, Position, Practice, Rule};
use crate::units::Role;

/// Where a figure's rows stand in the text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Lines {
    /// Line of the title, from 1.
    pub title: usize,
    /// Lines of the head by key.
    pub fields: Vec<(&'static str, usize)>,
    /// Line of each count.
    pub counts: Vec<usize>,
    /// Columns of the leader's, follower's and couple's cell of each count, from 1.
    pub cells: Vec<[usize; 3]>,
}

impl Lines {
    /// Line and column of a place, from 1.
    pub fn at(&self, place: &Place) -> (usize, usize) {
        if let Some(count) = place.count
            && let (Some(line), Some(cells)) = (self.counts.get(count), self.cells.get(count))
        {
            return match place.role {
                Some(role) => (*line, cells[role as usize]),
                None => (*line, cells[2]),
            };
        }
        let field = self.fields.iter().find(|f| Some(f.0) == place.field);
        (field.map_or(self.title, |f| f.1), 1)
    }
}

/// A figure as it was read.
#[derive(Debug, Clone, PartialEq)]
pub struct Written {
    /// The draft, not checked yet.
    pub draft: Draft,
    /// Where its rows stand.
    pub lines: Lines,
}

/// A text as it was read.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Reading {
    /// Figures in order; with errors, as far as they could be read.
    pub figures: Vec<Written>,
    /// What could not be read, in order of lines.
    pub errors: Vec<SyntaxError>,
}

const KEYS: &str = "“figure name: Title”, a line of the head (dance, about, good for, school, stage, practice, faults, caution, meter, swing, tempo, slot, start, gap, aside, holds, except) with a colon, a count's line with bars, or a comment that begins with #";

/// Required lines of the head.
const REQUIRED: [(&str, &str); 5] = [
    ("dance", "a line “dance: …”"),
    ("practice", "a line “practice: both” (or leader, follower)"),
    ("tempo", "a line “tempo: 90-110”"),
    ("start", "a line “start: closed” (or another position)"),
    ("gap", "a line “gap: 34 cm”"),
];

/// Reads a text of figures.
pub fn read(text: &str) -> Reading {
    let mut out = Reading::default();
    if text.len() > MOST_BYTES {
        out.errors.push(SyntaxError {
            line: 1,
            column: 1,
            found: String::new(),
            expected: format!("a text of at most {MOST_BYTES} bytes"),
        });
        return out;
    }
    for (i, raw) in text.lines().enumerate() {
        let number = i + 1;
        let line = raw.trim();
        let indent = raw.chars().take_while(|c| c.is_whitespace()).count();
        let error = |column: usize, found: &str, expected: &str| SyntaxError {
            line: number,
            column,
            found: found.chars().take(24).collect(),
            expected: expected.to_owned(),
        };
        if line.is_empty() {
            continue;
        }
        if let Some(title) = line.strip_prefix("figure ") {
            match title.split_once(':') {
                Some((id, name)) => out.figures.push(begin(id.trim(), name.trim(), number)),
                None => {
                    let column = indent + line.chars().count() + 1;
                    out.errors
                        .push(error(column, "", "a colon and the figure's name"));
                    out.figures.push(begin(title.trim(), title.trim(), number));
                }
            }
            continue;
        }
        let Some(now) = out.figures.last_mut() else {
            if !line.starts_with('#') {
                out.errors.push(error(
                    indent + 1,
                    line,
                    "“figure name: Title” before anything else",
                ));
                // One such error says it all.
                out.errors.dedup_by(|a, b| a.expected == b.expected);
            }
            continue;
        };
        let result = if let Some(comment) = line.strip_prefix('#') {
            let counted = now.lines.counts.len();
            now.draft.comments.push(Comment {
                // Right under the title it belongs to the figure, below that to the next count.
                before: (counted > 0 || !now.lines.fields.is_empty()).then_some(counted),
                text: comment.trim().to_owned(),
            });
            Ok(())
        } else if is_count_line(line) {
            count_line(now, raw, number)
        } else {
            head_line(now, line, number).map_err(|(at, expected)| {
                let found: String = line.chars().skip(at).collect();
                (indent + 1 + at, found, expected)
            })
        };
        if let Err((column, found, expected)) = result {
            let word = found.split_whitespace().next().unwrap_or_default();
            out.errors.push(error(column, word, &expected));
        }
    }
    for w in &mut out.figures {
        for (key, expected) in REQUIRED {
            if !w.lines.fields.iter().any(|f| f.0 == key) {
                out.errors.push(SyntaxError {
                    line: w.lines.title,
                    column: 1,
                    found: String::new(),
                    expected: format!("{expected} under this title"),
                });
            }
        }
        w.draft.counts = w.draft.counts.trim().to_owned();
    }
    out.errors.sort_by_key(|e| (e.line, e.column));
    out
}

/// A count's line has a short first cell; a line of the head may hold a bar only after its colon.
fn is_count_line(line: &str) -> bool {
    line.split_once('|')
        .is_some_and(|(first, _)| !first.contains(':') && first.split_whitespace().count() <= 1)
}

fn begin(id: &str, name: &str, line: usize) -> Written {
    Written {
        draft: Draft {
            id: id.to_owned(),
            name: name.to_owned(),
            dance: String::new(),
            about: String::new(),
            good_for: String::new(),
            school: String::new(),
            stage: 1,
            practice: Practice::Both,
            faults: Vec::new(),
            caution: String::new(),
            counts: String::new(),
            meter: 4,
            swing: 0.5,
            tempo: [0.0, 0.0],
            slotted: false,
            start: Start {
                position: Position::OpenFacing,
                gap: 0.0,
                aside: None,
            },
            holds: Vec::new(),
            leader: Vec::new(),
            follower: Vec::new(),
            couple: Vec::new(),
            exceptions: Vec::new(),
            comments: Vec::new(),
        },
        lines: Lines {
            title: line,
            ..Lines::default()
        },
    }
}

type Refused = (usize, String, String);

/// What the parser wanted, from its context.
fn wanted(error: &ContextError) -> String {
    error
        .context()
        .find_map(|c| match c {
            StrContext::Expected(StrContextValue::Description(d)) => Some((*d).to_owned()),
            _ => None,
        })
        .unwrap_or_else(|| "something else".to_owned())
}

fn refused(e: &ParseError<&str, ContextError>, cell: &str, column: usize) -> Refused {
    let rest = &cell[e.offset().min(cell.len())..];
    let blanks = rest.chars().take_while(|c| c.is_whitespace()).count();
    let before = cell[..e.offset().min(cell.len())].chars().count();
    (
        column + before + blanks,
        rest.trim().to_owned(),
        wanted(e.inner()),
    )
}

fn parse<'a, T>(
    parser: impl winnow::Parser<&'a str, T, ErrMode<ContextError>>,
    cell: &'a str,
    column: usize,
) -> Result<T, Refused> {
    let mut parser = parser;
    parser.parse(cell).map_err(|e| refused(&e, cell, column))
}

fn count_line(now: &mut Written, raw: &str, number: usize) -> Result<(), Refused> {
    let mut cells: Vec<(usize, &str)> = Vec::new();
    let mut column = 1;
    for cell in raw.split('|') {
        cells.push((column, cell));
        column += cell.chars().count() + 1;
    }
    let count = now.lines.counts.len();
    let label = cells[0].1.trim();
    let inner = |i: usize| {
        cells.get(i).map_or((column, ""), |(c, t)| {
            let blanks = t.chars().take_while(|c| c.is_whitespace()).count();
            (c + blanks, *t)
        })
    };
    now.lines.counts.push(number);
    now.lines.cells.push([inner(1).0, inner(2).0, inner(3).0]);
    if label.is_empty() {
        now.draft.counts.push_str(" ?");
        return Err((
            cells[0].0,
            String::new(),
            "a count such as 1, &, S, Q or (4) before the first bar".into(),
        ));
    }
    now.draft.counts.push(' ');
    now.draft.counts.push_str(label);
    if cells.len() > 4 {
        return Err((
            cells[4].0,
            cells[4].1.trim().to_owned(),
            "at most three cells after the count: leader, follower, couple".into(),
        ));
    }
    let mut first = Ok(());
    for role in Role::BOTH {
        let Some((column, cell)) = cells.get(1 + role as usize) else {
            continue;
        };
        match parse(role_cell, cell, *column) {
            Ok(RoleCell::Entry(mut e)) => {
                e.count = count;
                now.draft.entries_mut(role).push(e);
            }
            Ok(RoleCell::Empty | RoleCell::GoesOn) => {}
            Err(e) => first = first.and(Err(e)),
        }
    }
    if let Some((column, cell)) = cells.get(3) {
        match parse(couple_cell, cell, *column) {
            Ok(Some(mut c)) => {
                c.count = count;
                now.draft.couple.push(c);
            }
            Ok(None) => {}
            Err(e) => first = first.and(Err(e)),
        }
    }
    first
}

/// A length in centimetres, as metres.
fn centimetres(value: &str) -> Option<f64> {
    let v: f64 = value.strip_suffix("cm")?.trim().parse().ok()?;
    v.is_finite().then(|| (v * 10.0).round() / 1000.0)
}

fn head_line(now: &mut Written, line: &str, number: usize) -> Result<(), (usize, String)> {
    let (key, value) = line.split_once(':').ok_or((0, KEYS.to_owned()))?;
    let at = key.chars().count() + 1;
    let (key, value) = (key.trim(), value.trim());
    let d = &mut now.draft;
    let no = |what: &str| (at, what.to_owned());
    let named: &'static str = match key {
        "dance" => {
            d.dance = value.to_owned();
            "dance"
        }
        "about" => {
            d.about = value.to_owned();
            "about"
        }
        "good for" => {
            d.good_for = value.to_owned();
            "good for"
        }
        "school" => {
            d.school = value.to_owned();
            "school"
        }
        "caution" => {
            d.caution = value.to_owned();
            "caution"
        }
        "stage" => {
            d.stage = value.parse().map_err(|_| no("1 or 2"))?;
            "stage"
        }
        "practice" => {
            d.practice = Practice::read(value).ok_or_else(|| no("both, leader or follower"))?;
            "practice"
        }
        "faults" => {
            d.faults = value.split_whitespace().map(str::to_owned).collect();
            "faults"
        }
        "meter" => {
            d.meter = value
                .parse()
                .map_err(|_| no("the beats of a bar, such as 3"))?;
            "meter"
        }
        "swing" => {
            let v: f64 = value
                .strip_suffix('%')
                .and_then(|v| v.trim().parse().ok())
                .ok_or_else(|| no("where the & falls in its beat, such as 67%"))?;
            d.swing = (v * 10.0).round() / 1000.0;
            "swing"
        }
        "tempo" => {
            let (low, high) = value.split_once('-').unwrap_or((value, value));
            match (low.trim().parse(), high.trim().parse()) {
                (Ok(low), Ok(high)) => d.tempo = [low, high],
                _ => return Err(no("beats a minute from slow to fast, such as 90-110")),
            }
            "tempo"
        }
        "slot" => {
            d.slotted = match value {
                "yes" => true,
                "no" => false,
                _ => return Err(no("yes or no")),
            };
            "slot"
        }
        "start" => {
            d.start.position = Position::read(value).ok_or_else(|| {
                let all: Vec<&str> = Position::ALL.iter().map(|p| p.word()).collect();
                (at, format!("a position: {}", all.join(", ")))
            })?;
            "start"
        }
        "gap" => {
            d.start.gap = centimetres(value).ok_or_else(|| no("centimetres, such as 34 cm"))?;
            "gap"
        }
        "aside" => {
            d.start.aside = Some(
                centimetres(value).ok_or_else(|| no("centimetres to the left, such as -10 cm"))?,
            );
            "aside"
        }
        "holds" => {
            d.holds = value
                .split_whitespace()
                .map(|w| {
                    Hold::read(w).ok_or_else(|| {
                        no("holds such as L-R, R>shoulder-blade or upper-arm<L (the leader's on the left)")
                    })
                })
                .collect::<Result<_, _>>()?;
            "holds"
        }
        "except" => {
            let (rule, reason) = value
                .split_once(':')
                .ok_or_else(|| no("a rule, a colon and the reason"))?;
            let rule = Rule::read(rule.trim()).ok_or_else(|| {
                let all: Vec<&str> = Rule::ALL.iter().map(|r| r.word()).collect();
                (at, format!("a rule: {}", all.join(", ")))
            })?;
            d.exceptions.push(Exception {
                rule,
                reason: reason.trim().to_owned(),
            });
            "except"
        }
        _ => return Err((0, KEYS.to_owned())),
    };
    if named != "except" && now.lines.fields.iter().any(|f| f.0 == named) {
        return Err((0, format!("“{named}” only once in a figure")));
    }
    now.lines.fields.push((named, number));
    Ok(())
}
