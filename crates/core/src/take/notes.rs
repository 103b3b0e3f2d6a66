//! Notes on a clip as WebVTT, so that any player shows them as subtitles.
//!
//! W3C, "WebVTT: The Web Video Text Tracks Format" (Candidate Recommendation, 2019), section 4.

use std::fmt::Write as _;

use crate::units::MediaTime;

/// A note with the time for which it is shown.
#[derive(Debug, Clone, PartialEq)]
pub struct Note {
    /// From.
    pub from: MediaTime,
    /// To, after `from`.
    pub to: MediaTime,
    /// What it says.
    pub text: String,
}

/// Notes as a WebVTT file, in order of time; one that does not last is left out.
pub fn vtt(notes: &[Note]) -> String {
    let mut notes: Vec<&Note> = notes.iter().filter(|n| n.to > n.from).collect();
    notes.sort_by_key(|n| (n.from, n.to));
    let mut out = String::from("WEBVTT\n");
    for (i, n) in notes.iter().enumerate() {
        let _ = write!(
            out,
            "\n{}\n{} --> {}\n{}\n",
            i + 1,
            stamp(n.from),
            stamp(n.to),
            plain(&n.text)
        );
    }
    out
}

fn stamp(t: MediaTime) -> String {
    let ms = t.0.max(0) / 1000;
    let (s, ms) = (ms / 1000, ms % 1000);
    format!("{:02}:{:02}:{:02}.{ms:03}", s / 3600, s / 60 % 60, s % 60)
}

/// Text that cannot end its cue or be read as markup: no empty line, `&`, `<` and the arrow escaped.
fn plain(text: &str) -> String {
    let lines: Vec<&str> = text
        .lines()
        .map(str::trim)
        .filter(|l| !l.is_empty())
        .collect();
    lines
        .join("\n")
        .replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn note(from: f64, to: f64, text: &str) -> Note {
        Note {
            from: MediaTime::from_secs(from),
            to: MediaTime::from_secs(to),
            text: text.into(),
        }
    }

    #[test]
    fn notes_are_in_order_and_cannot_break_out_of_their_cue() {
        let all = [
            note(3725.5, 3727.0, "Second"),
            note(0.04, 1.5, "Stay <tall> & wait\n\n00:00 --> 00:01\nhere"),
            note(2.0, 2.0, "never"),
        ];
        assert_eq!(
            vtt(&all),
            "WEBVTT\n\n1\n00:00:00.040 --> 00:00:01.500\nStay &lt;tall&gt; &amp; wait\n00:00 --&gt; 00:01\nhere\n\
             \n2\n01:02:05.500 --> 01:02:07.000\nSecond\n"
        );
        assert_eq!(vtt(&[]), "WEBVTT\n");
    }
}
