//! The log of commands with undo and redo.

use serde::{Deserialize, Serialize};

use super::{MarkCommand, MarkError, Marks};

/// An entry of the append-only log: a command, or a step back or forward through the commands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Entry {
    /// Undo or redo.
    Travel(Travel),
    /// A change.
    Command(MarkCommand),
}

/// A move through the history.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case", deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Travel {
    /// Takes the last standing command back.
    Undo {},
    /// Carries out again what the last undo took back.
    Redo {},
}

/// Marks with the commands that stand and those taken back.
#[derive(Debug, Clone, Default)]
pub struct History {
    marks: Marks,
    standing: Vec<MarkCommand>,
    undone: Vec<MarkCommand>,
}

impl History {
    /// Replays a log. Entries that cannot be carried out are passed over, as they were at first.
    pub fn replay(log: impl IntoIterator<Item = Entry>) -> Self {
        // Undo by replay is quadratic; instead the standing commands are found first.
        let mut h = Self::default();
        for entry in log {
            match entry {
                Entry::Command(c) => {
                    h.standing.push(c);
                    h.undone.clear();
                }
                Entry::Travel(Travel::Undo {}) => h.undone.extend(h.standing.pop()),
                Entry::Travel(Travel::Redo {}) => h.standing.extend(h.undone.pop()),
            }
        }
        h.rebuild();
        h
    }

    fn rebuild(&mut self) {
        self.marks = Marks::default();
        for c in &self.standing {
            // A command that was refused when it was given is not in the log.
            let _ = c.apply(&mut self.marks);
        }
    }

    /// Adds an entry; on an error nothing has changed and it must not be logged.
    pub fn push(&mut self, entry: Entry) -> Result<(), MarkError> {
        match entry {
            Entry::Command(c) => {
                let mut next = self.marks.clone();
                c.apply(&mut next)?;
                self.marks = next;
                self.standing.push(c);
                self.undone.clear();
            }
            Entry::Travel(Travel::Undo {}) => {
                let c = self
                    .standing
                    .pop()
                    .ok_or(MarkError::Nothing("There is nothing left to undo."))?;
                self.undone.push(c);
                self.rebuild();
            }
            Entry::Travel(Travel::Redo {}) => {
                let c = self
                    .undone
                    .pop()
                    .ok_or(MarkError::Nothing("There is nothing to redo."))?;
                c.apply(&mut self.marks)?;
                self.standing.push(c);
            }
        }
        Ok(())
    }

    /// The marks as they stand.
    pub fn marks(&self) -> &Marks {
        &self.marks
    }

    /// Whether there is a command to take back.
    pub fn can_undo(&self) -> bool {
        !self.standing.is_empty()
    }

    /// Whether there is a command to bring back.
    pub fn can_redo(&self) -> bool {
        !self.undone.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::Landmark;
    use crate::marks::FindingKey;
    use crate::units::{Foot, MediaTime, Role};
    use proptest::prelude::*;

    fn place(at: i64, x: f64) -> MarkCommand {
        MarkCommand::Place {
            role: Role::Leader,
            at: MediaTime(at),
            landmark: Landmark::LeftToe,
            pixel: [x, 10.0],
        }
    }

    fn any_entry() -> impl Strategy<Value = Entry> {
        prop_oneof![
            (0i64..5, 0.0..100.0f64).prop_map(|(t, x)| Entry::Command(place(t, x))),
            (0i64..5).prop_map(|t| Entry::Command(MarkCommand::MarkStep {
                role: Role::Follower,
                foot: Foot::Left,
                at: MediaTime(t),
                weight: true
            })),
            (0i64..5).prop_map(|t| Entry::Command(MarkCommand::UnmarkStep {
                role: Role::Follower,
                at: MediaTime(t)
            })),
            (0i64..5).prop_map(|t| Entry::Command(MarkCommand::Tap { at: MediaTime(t) })),
            Just(Entry::Travel(Travel::Undo {})),
            Just(Entry::Travel(Travel::Redo {})),
        ]
    }

    proptest! {
        #[test]
        fn replaying_the_log_gives_the_same_marks(entries in proptest::collection::vec(any_entry(), 0..60)) {
            let mut live = History::default();
            let mut log = Vec::new();
            for e in entries {
                if live.push(e.clone()).is_ok() {
                    log.push(e);
                }
            }
            let replayed = History::replay(log);
            prop_assert_eq!(replayed.marks(), live.marks());
            prop_assert_eq!(replayed.can_redo(), live.can_redo());
        }

        #[test]
        fn undoing_everything_leaves_nothing(xs in proptest::collection::vec(0.0..50.0f64, 1..20)) {
            let mut h = History::default();
            for (i, x) in xs.iter().enumerate() {
                h.push(Entry::Command(place(i as i64 % 3, *x))).unwrap();
            }
            while h.can_undo() {
                h.push(Entry::Travel(Travel::Undo {})).unwrap();
            }
            prop_assert_eq!(h.marks(), &Marks::default());
            let refused = h.push(Entry::Travel(Travel::Undo {})).is_err();
            prop_assert!(refused);
        }
    }

    #[test]
    fn one_is_the_beat_nearest_to_the_moment() {
        use crate::marks::CountSource;
        let mut h = History::default();
        let one_at = |seconds: f64| {
            Entry::Command(MarkCommand::OneAt {
                at: MediaTime::from_secs(seconds),
            })
        };
        assert!(h.push(one_at(2.0)).is_err());
        for beat in 0..8 {
            let at = MediaTime::from_secs(1.0 + 0.5 * f64::from(beat));
            h.push(Entry::Command(MarkCommand::Tap { at })).unwrap();
        }
        for (seconds, expected) in [(2.6, 3), (0.1, -2), (1.2, 0)] {
            h.push(one_at(seconds)).unwrap();
            assert!(
                matches!(h.marks().count, Some(CountSource::Taps { one, .. }) if one == expected),
                "{seconds}: {:?}",
                h.marks().count
            );
        }
        let typed = CountSource::Tempo {
            bpm: 120.0,
            one: MediaTime(0),
        };
        h.push(Entry::Command(MarkCommand::SetCount { count: typed }))
            .unwrap();
        h.push(one_at(1.25)).unwrap();
        assert!(matches!(
            h.marks().count,
            Some(CountSource::Tempo {
                one: MediaTime(1_250_000),
                ..
            })
        ));
    }

    #[test]
    fn copying_fills_what_is_not_marked() {
        let mut h = History::default();
        h.push(Entry::Command(place(1, 5.0))).unwrap();
        let copy = MarkCommand::CopyPrevious {
            role: Role::Leader,
            at: MediaTime(9),
        };
        h.push(Entry::Command(copy.clone())).unwrap();
        let pose = h.marks().pose(Role::Leader, MediaTime(9)).unwrap();
        assert_eq!(pose.points[&Landmark::LeftToe], [5.0, 10.0]);
        let nobody = MarkCommand::CopyPrevious {
            role: Role::Follower,
            at: MediaTime(9),
        };
        assert!(h.push(Entry::Command(nobody)).is_err());
    }

    #[test]
    fn nonsense_is_refused_and_changes_nothing() {
        let mut h = History::default();
        let bad = [
            MarkCommand::NameFigure {
                chart: "No such one".into(),
                repetitions: 3,
            },
            MarkCommand::NameFigure {
                chart: "shag-basic".into(),
                repetitions: 0,
            },
            MarkCommand::MarkFloor {
                point: 0,
                pixel: Some([1.0, 1.0]),
            },
            MarkCommand::SizeFloor {
                length: f64::NAN,
                width: 1.0,
                view: None,
            },
            MarkCommand::ShiftOne { beats: 1 },
            MarkCommand::OrderFindings {
                order: vec![
                    FindingKey {
                        fault: "P1".into(),
                        role: None
                    };
                    2
                ],
            },
            MarkCommand::Tap { at: MediaTime(-4) },
            place(1, f64::INFINITY),
        ];
        for b in bad {
            assert!(h.push(Entry::Command(b.clone())).is_err(), "{b:?}");
        }
        assert_eq!(h.marks(), &Marks::default());
    }

    #[test]
    fn entries_read_as_small_json() {
        let undo: Entry = serde_json::from_str(r#"{"do":"undo"}"#).unwrap();
        assert_eq!(undo, Entry::Travel(Travel::Undo {}));
        let tap: Entry = serde_json::from_str(r#"{"do":"tap","at":12}"#).unwrap();
        assert_eq!(tap, Entry::Command(MarkCommand::Tap { at: MediaTime(12) }));
        assert!(serde_json::from_str::<Entry>(r#"{"do":"tap","at":12,"x":1}"#).is_err());
    }
}
