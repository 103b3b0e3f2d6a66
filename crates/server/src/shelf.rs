//! Figures for the interface: the library together with a studio's own, and what the checks say of a
//! text.

use serde::Serialize;
use upright_core::chart::check::check;
use upright_core::chart::notation::{self, Written};
use upright_core::chart::path::{moments, relation};
use upright_core::chart::vocabulary::{Practice, Rule};
use upright_core::chart::{
    Chart, ChartRow, Draft, Facts, Hold, Layout, Position, Severity, Shelf, Stride, Trail,
    start_stance, trail,
};
use upright_core::count::CountPattern;
use upright_core::units::Role;
use upright_store::{OwnChart, Store, StudioId};

use crate::problem::Problem;

/// Heights for which a chart is drawn, metres.
pub const DRAWN_FOR: [f64; 2] = [1.70, 1.70];

/// What lists show of a figure.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub struct ChartCard {
    /// Short name.
    pub id: String,
    /// Name.
    pub name: String,
    /// Dance.
    pub dance: String,
    /// What it is.
    pub about: String,
    /// Counts over the beats.
    pub counts: String,
    /// Usual tempo, beats a minute.
    pub tempo: [f64; 2],
    /// Beats of a bar.
    pub meter: u32,
    /// Danced along one line of the floor.
    pub slotted: bool,
    /// Stage at which it is taught first.
    pub stage: u8,
    /// Who has the harder part.
    pub practice: Practice,
    /// What follows from it; absent while an own figure cannot be read.
    pub facts: Option<Facts>,
    /// Written by this studio.
    pub own: bool,
    /// It passes its checks, so that it can be danced in takes and routines.
    pub sound: bool,
}

/// A figure laid out, for tables and drawings.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub struct Sketch {
    /// As it is written.
    pub draft: Draft,
    /// Its counts.
    pub pattern: CountPattern,
    /// Beats of each count from the figure's first beat, those in between where its swing puts them.
    pub beats: Vec<f64>,
    /// Rows of leader and follower, every building block unfolded.
    pub rows: [Vec<ChartRow>; 2],
    /// Position after each count.
    pub positions: Vec<Position>,
    /// Holds after each count.
    #[schema(value_type = Vec<Vec<String>>)]
    pub holds: Vec<Vec<Hold>>,
    /// Distance of the bodies after each count, metres.
    pub distances: Vec<f64>,
    /// Where leader and follower go, for two people 1.70 m tall.
    pub trails: [Trail; 2],
    /// What follows.
    pub facts: Facts,
}

impl Sketch {
    /// Of a draft and its layout.
    pub fn of(draft: &Draft, layout: &Layout) -> Self {
        Self {
            beats: layout
                .pattern
                .marks
                .iter()
                .map(|m| m.offset(draft.swing))
                .collect(),
            pattern: layout.pattern.clone(),
            rows: layout.rows.clone(),
            positions: layout.positions.clone(),
            holds: layout.holds.clone(),
            distances: moments(draft, layout, DRAWN_FOR)[1..]
                .iter()
                .map(|m| relation(m).distance)
                .collect(),
            trails: Role::BOTH.map(|r| {
                let from = start_stance(&draft.start, r, DRAWN_FOR);
                let stride = Stride::joined(r, DRAWN_FOR);
                trail(&layout.rows[r as usize], from, layout.standing(r), stride)
            }),
            facts: Facts::of(draft, layout, DRAWN_FOR),
            draft: draft.clone(),
        }
    }
}

/// What a check says, at its place in the text.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub struct ChartProblem {
    /// Which rule.
    pub rule: Rule,
    /// How much it weighs.
    pub severity: Severity,
    /// Whose row, where it is one.
    pub role: Option<Role>,
    /// On which count, where it is on one.
    pub count: Option<usize>,
    /// Line of the text, from 1.
    pub line: usize,
    /// Column, from 1.
    pub column: usize,
    /// What is wrong.
    pub sentence: String,
    /// What would mend it.
    pub suggestion: Option<String>,
    /// The whole text with it mended, where that can be done.
    pub mended: Option<String>,
}

/// A text with everything the checks say of it.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub struct Checked {
    /// The figure, as far as it can be laid out.
    pub sketch: Option<Sketch>,
    /// Everything that is wrong, then what is worth knowing.
    pub problems: Vec<ChartProblem>,
    /// Nothing stops it.
    pub sound: bool,
}

/// Reads and checks a text of one figure.
pub fn checked(text: &str) -> Checked {
    let read = notation::read(text);
    let mut problems: Vec<ChartProblem> = read
        .errors
        .iter()
        .map(|e| ChartProblem {
            rule: Rule::Form,
            severity: Severity::Stops,
            role: None,
            count: None,
            line: e.line,
            column: e.column,
            sentence: e.to_string(),
            suggestion: None,
            mended: None,
        })
        .collect();
    let broken = !problems.is_empty();
    let stop = |line: usize, sentence: &str| ChartProblem {
        rule: Rule::Form,
        severity: Severity::Stops,
        role: None,
        count: None,
        line,
        column: 1,
        sentence: sentence.to_owned(),
        suggestion: None,
        mended: None,
    };
    if let Some(second) = read.figures.get(1) {
        problems.push(stop(
            second.lines.title,
            "One figure at a time: import a text with several.",
        ));
    }
    let mut sketch = None;
    match read.figures.first() {
        Some(Written { draft, lines }) => {
            let (layout, found) = check(draft);
            sketch = layout.map(|l| Sketch::of(draft, &l));
            // A line that cannot be read leaves holes, of which the other rules would complain.
            let shown = found
                .into_iter()
                .filter(|p| !broken || matches!(p.rule, Rule::Form | Rule::Counts));
            problems.extend(shown.map(|p| {
                let (line, column) = lines.at(&p.at);
                ChartProblem {
                    rule: p.rule,
                    severity: p.severity,
                    role: p.at.role,
                    count: p.at.count,
                    line,
                    column,
                    sentence: p.sentence,
                    suggestion: p.suggestion,
                    mended: p.fix.map(|f| notation::print(&f.apply(draft))),
                }
            }));
        }
        None if !broken => problems.push(stop(1, "Begin with a line “figure name: Title”.")),
        None => {}
    }
    problems.sort_by_key(|p| (p.severity, p.line, p.column));
    Checked {
        sound: problems.iter().all(|p| p.severity != Severity::Stops),
        sketch,
        problems,
    }
}

/// A chart that has passed its checks, as a list shows it.
pub fn card(chart: &Chart, own: bool) -> ChartCard {
    let facts = Facts::of(chart, chart.layout(), DRAWN_FOR);
    ChartCard {
        own,
        sound: true,
        ..of_draft(chart.draft(), Some(facts))
    }
}

fn of_draft(d: &Draft, facts: Option<Facts>) -> ChartCard {
    ChartCard {
        id: d.id.clone(),
        name: d.name.clone(),
        dance: d.dance.clone(),
        about: d.about.clone(),
        counts: d.counts.clone(),
        tempo: d.tempo,
        meter: d.meter,
        slotted: d.slotted,
        stage: d.stage,
        practice: d.practice,
        facts,
        own: true,
        sound: false,
    }
}

/// An own figure as a list shows it, mistakes or not. Its short name is the kept one.
pub fn own_card(own: &OwnChart) -> ChartCard {
    let c = checked(&own.text);
    match c.sketch {
        Some(s) => ChartCard {
            id: own.id.clone(),
            sound: c.sound,
            ..of_draft(&s.draft, Some(s.facts))
        },
        None => {
            let read = notation::read(&own.text);
            let name = read.figures.first().map(|w| w.draft.name.clone());
            ChartCard {
                id: own.id.clone(),
                name: name.unwrap_or_else(|| own.id.clone()),
                dance: "Not readable yet".into(),
                about: String::new(),
                counts: String::new(),
                tempo: [0.0, 0.0],
                meter: 4,
                slotted: false,
                stage: 1,
                practice: Practice::Both,
                facts: None,
                own: true,
                sound: false,
            }
        }
    }
}

/// The figures that pass among texts.
pub fn sound(own: &[OwnChart]) -> Shelf {
    let charts = own.iter().filter_map(|o| {
        let read = notation::read(&o.text);
        let [written] = read.figures.as_slice() else {
            return None;
        };
        (read.errors.is_empty() && written.draft.id == o.id)
            .then(|| Chart::new(written.draft.clone()).ok())
            .flatten()
    });
    Shelf::new(charts.collect())
}

/// The library and a studio's own figures.
pub async fn shelf(store: &Store, studio: StudioId) -> Result<Shelf, Problem> {
    let own = store.own_charts(studio).await?;
    if own.is_empty() {
        return Ok(Shelf::default());
    }
    tokio::task::spawn_blocking(move || sound(&own))
        .await
        .map_err(|e| Problem::internal(&e))
}
