//! Drafts to text, in columns.

use std::fmt::Write as _;

use crate::chart::draft::{CoupleEntry, Does, Draft, StepEntry};
use crate::chart::layout::Layout;
use crate::chart::vocabulary::{Hold, HoldVerb};
use crate::count::CountPattern;
use crate::units::{Foot, Role};

/// Tenths of hundredths: shares and centimetres are written to one place after the point.
fn hundredths(v: f64) -> String {
    let tenths = (v * 1000.0).round() / 10.0;
    format!("{tenths}")
}

fn eighths(t: i32) -> String {
    format!("{}{}/8", if t < 0 { '>' } else { '<' }, t.abs())
}

fn role_cell(e: &StepEntry) -> String {
    let mut s = format!(
        "{} {}",
        match e.foot {
            Foot::Left => "L",
            Foot::Right => "R",
        },
        e.does.word()
    );
    let mut put = |w: &str| {
        s.push(' ');
        s.push_str(w);
    };
    if let Some(d) = e.direction {
        put(d.word());
    }
    if e.size != 0.0 {
        put(&format!("{}%", hundredths(e.size)));
    }
    if let Some(n) = e.steps {
        put(&format!("x{n}"));
    }
    match (e.turn, e.second_turn) {
        (0, None) => {}
        (t, None) => put(&eighths(t)),
        (t, Some(second)) if (t < 0) == (second < 0) => {
            put(&format!("{}..{}/8", eighths(t), second.abs()));
        }
        (t, Some(second)) => put(&format!("{}..{}", eighths(t), eighths(second))),
    }
    if e.turns_freely {
        put("freely");
    }
    if let Some(c) = e.contact {
        put(c.word());
    }
    if let Some(l) = e.level {
        put(l.word());
    }
    if let Some(l) = e.leg {
        put(l.word());
    }
    for j in &e.judge {
        put(&format!("!{}", j.word()));
    }
    s
}

fn couple_cell(c: &CoupleEntry) -> String {
    let mut words: Vec<String> = Vec::new();
    words.extend(c.position.map(|p| p.word().to_owned()));
    let mut i = 0;
    while let Some(h) = c.holds.get(i) {
        match c.holds.get(i + 1) {
            // A hand change is a take and the release of what shared a hand.
            Some(next)
                if h.verb == HoldVerb::Take
                    && next.verb == HoldVerb::Release
                    && h.hold != next.hold
                    && h.hold.shares_a_hand(next.hold) =>
            {
                words.push(format!("change {} {}", next.hold, h.hold));
                i += 2;
            }
            _ => {
                words.push(format!("{} {}", h.verb.word(), h.hold));
                i += 1;
            }
        }
    }
    words.extend(c.connection.map(|x| x.word().to_owned()));
    words.extend(c.footing.map(|x| x.word().to_owned()));
    words.extend(c.judge.iter().map(|j| format!("!{}", j.word())));
    for (on, word) in [
        (c.dip, "dip"),
        (c.optional, "optional"),
        (c.open_ended, "open-ended"),
    ] {
        words.extend(on.then(|| word.to_owned()));
    }
    words.join(" ")
}

/// Counts on which a block that began above goes on.
fn going_on(d: &Draft, role: Role) -> Vec<usize> {
    let (Some(layout), _) = Layout::of(d) else {
        return Vec::new();
    };
    layout.rows[role as usize]
        .iter()
        .filter(|r| {
            d.entries(role)
                .get(r.entry)
                .is_some_and(|e| matches!(e.does, Does::Part(_)) && e.count != r.count)
        })
        .map(|r| r.count)
        .collect()
}

/// A draft as text. Rows of counts that do not exist are left out.
pub fn print(d: &Draft) -> String {
    let mut out = format!("figure {}: {}\n", d.id, d.name);
    for c in d.comments.iter().filter(|c| c.before.is_none()) {
        let _ = writeln!(out, "  # {}", c.text);
    }
    for (key, value) in head(d) {
        let _ = writeln!(out, "  {key}: {value}");
    }
    out + &table(d)
}

/// Lines of the head; what has its usual value is left out.
fn head(d: &Draft) -> Vec<(&'static str, String)> {
    let mut all = vec![("dance", d.dance.clone())];
    let mut line = |on: bool, key: &'static str, value: String| {
        if on {
            all.push((key, value));
        }
    };
    for (key, text) in [
        ("about", &d.about),
        ("good for", &d.good_for),
        ("school", &d.school),
        ("caution", &d.caution),
    ] {
        line(!text.is_empty(), key, text.clone());
    }
    let centimetres = |m: f64| format!("{} cm", hundredths(m));
    line(d.stage != 1, "stage", d.stage.to_string());
    line(true, "practice", d.practice.word().to_owned());
    line(!d.faults.is_empty(), "faults", d.faults.join(" "));
    line(d.meter != 4, "meter", d.meter.to_string());
    line(d.swing != 0.5, "swing", format!("{}%", hundredths(d.swing)));
    line(true, "tempo", format!("{}-{}", d.tempo[0], d.tempo[1]));
    line(d.slotted, "slot", "yes".to_owned());
    line(true, "start", d.start.position.word().to_owned());
    line(true, "gap", centimetres(d.start.gap));
    if let Some(aside) = d.start.aside {
        line(true, "aside", centimetres(aside));
    }
    let holds: Vec<String> = d.holds.iter().map(Hold::to_string).collect();
    line(!holds.is_empty(), "holds", holds.join(" "));
    for e in &d.exceptions {
        line(true, "except", format!("{}: {}", e.rule.word(), e.reason));
    }
    all
}

fn table(d: &Draft) -> String {
    let labels: Vec<String> = match CountPattern::parse(&d.counts) {
        Ok(p) => p
            .marks
            .iter()
            .map(|m| {
                if m.rest {
                    format!("({})", m.label)
                } else {
                    m.label.clone()
                }
            })
            .collect(),
        // Kept as it is, so that what is wrong with it can be seen.
        Err(_) => d.counts.split_whitespace().map(str::to_owned).collect(),
    };
    let on = Role::BOTH.map(|r| going_on(d, r));
    let rows: Vec<[String; 4]> = labels
        .iter()
        .enumerate()
        .map(|(i, label)| {
            let role = |r: Role| match d.entries(r).iter().find(|e| e.count == i) {
                Some(e) => role_cell(e),
                None if on[r as usize].contains(&i) => "\"".to_owned(),
                None => String::new(),
            };
            let couple = d.couple.iter().find(|c| c.count == i);
            [
                label.clone(),
                role(Role::Leader),
                role(Role::Follower),
                couple.map(couple_cell).unwrap_or_default(),
            ]
        })
        .collect();
    let width = |i: usize| rows.iter().map(|r| r[i].chars().count()).max().unwrap_or(0);
    let widths = [width(0), width(1), width(2)];
    let mut out = String::new();
    for i in 0..=rows.len() {
        for c in d.comments.iter().filter(|c| c.before == Some(i)) {
            let _ = writeln!(out, "  # {}", c.text);
        }
        if let Some([count, leader, follower, couple]) = rows.get(i) {
            let line = format!(
                "  {count:<a$} | {leader:<b$} | {follower:<c$} | {couple}",
                a = widths[0],
                b = widths[1],
                c = widths[2]
            );
            out.push_str(line.trim_end());
            out.push('\n');
        }
    }
    out
}

/// Several drafts, with an empty line between them.
pub fn print_all<'a>(drafts: impl IntoIterator<Item = &'a Draft>) -> String {
    drafts.into_iter().map(print).collect::<Vec<_>>().join("\n")
}
