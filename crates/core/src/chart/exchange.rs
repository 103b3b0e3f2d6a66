//! Charts as JSON documents, for other programs and other studios.
//!
//! The document's schema is published in `docs/formats/chart.schema.json`; readers accept this version
//! and older ones.

use serde::{Deserialize, Serialize};

use super::draft::Draft;

/// Name of the format.
pub const FORMAT: &str = "upright-pair/charts";

/// Version that is written.
pub const VERSION: u32 = 1;

/// Longest document, bytes.
pub const MOST_BYTES: usize = 1_000_000;

/// Most figures in one document.
pub const MOST_FIGURES: usize = 500;

/// A document of figures.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Document {
    /// Always `upright-pair/charts`.
    #[cfg_attr(feature = "schema", schemars(extend("const" = "upright-pair/charts")))]
    pub format: String,
    /// Version of the format.
    #[cfg_attr(feature = "schema", schemars(range(min = 1, max = 1)))]
    pub version: u32,
    /// The figures.
    pub charts: Vec<Draft>,
}

/// Why a document cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ExchangeError {
    /// Not JSON, or not this document.
    #[error("Line {line}, column {column}: {what}.")]
    Read {
        /// From 1.
        line: usize,
        /// From 1.
        column: usize,
        /// What is wrong.
        what: String,
    },
    /// Something else.
    #[error("This is a document of “{0}”, not of charts.")]
    OtherFormat(String),
    /// Written by a newer program.
    #[error("This document has version {0}; this program reads up to version {VERSION}.")]
    Newer(u32),
    /// Too long.
    #[error("A document holds at most {MOST_BYTES} bytes and {MOST_FIGURES} figures.")]
    TooLong,
}

/// Line and column from 1, and what is wrong there.
pub(crate) fn json_error(e: &serde_json::Error) -> (usize, usize, String) {
    let said = e.to_string();
    let what = said.split(" at line ").next().unwrap_or_default();
    (e.line(), e.column(), what.to_owned())
}

/// Reads a document. The drafts are not checked yet.
pub fn read(json: &str) -> Result<Vec<Draft>, ExchangeError> {
    if json.len() > MOST_BYTES {
        return Err(ExchangeError::TooLong);
    }
    let d: Document = serde_json::from_str(json).map_err(|e| {
        let (line, column, what) = json_error(&e);
        ExchangeError::Read { line, column, what }
    })?;
    if d.format != FORMAT {
        return Err(ExchangeError::OtherFormat(d.format));
    }
    if d.version == 0 || d.version > VERSION {
        return Err(ExchangeError::Newer(d.version));
    }
    if d.charts.len() > MOST_FIGURES {
        return Err(ExchangeError::TooLong);
    }
    Ok(d.charts)
}

/// Writes a document.
pub fn write(charts: &[Draft]) -> String {
    let document = Document {
        format: FORMAT.into(),
        version: VERSION,
        charts: charts.to_vec(),
    };
    // Plain values with text keys always become JSON.
    serde_json::to_string_pretty(&document).unwrap_or_default() + "\n"
}

/// The document's JSON Schema.
#[cfg(feature = "schema")]
pub fn schema() -> serde_json::Value {
    schemars::schema_for!(Document).to_value()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::charts;

    #[test]
    fn the_library_goes_out_and_comes_back() {
        let drafts: Vec<Draft> = charts().iter().map(|c| c.draft().clone()).collect();
        let json = write(&drafts);
        assert_eq!(read(&json).unwrap(), drafts);
    }

    #[cfg(feature = "schema")]
    #[test]
    fn the_schema_takes_what_is_written_and_refuses_what_is_refused() {
        let validator = jsonschema::validator_for(&schema()).unwrap();
        let drafts: Vec<Draft> = charts().iter().map(|c| c.draft().clone()).collect();
        let good: serde_json::Value = serde_json::from_str(&write(&drafts)).unwrap();
        let errors: Vec<String> = validator
            .iter_errors(&good)
            .map(|e| e.to_string())
            .collect();
        assert_eq!(errors, Vec::<String>::new());
        type Spoil = fn(&mut serde_json::Value);
        let spoils: [Spoil; 6] = [
            |d| d["charts"][0]["leader"][0]["does"] = "fly".into(),
            |d| d["charts"][0]["holds"] = serde_json::json!(["L~R"]),
            |d| d["charts"][0]["surprise"] = 1.into(),
            |d| d["format"] = "something/else".into(),
            |d| d["version"] = 2.into(),
            |d| d["charts"][0]["start"]["position"] = "lying".into(),
        ];
        for (i, spoil) in spoils.into_iter().enumerate() {
            let mut bad = good.clone();
            spoil(&mut bad);
            assert!(!validator.is_valid(&bad), "schema takes spoil {i}");
            assert!(read(&bad.to_string()).is_err(), "reader takes spoil {i}");
        }
    }

    #[test]
    fn what_is_no_document_is_refused_with_its_place() {
        let e = read("{\n  \"format\": 3}").unwrap_err().to_string();
        assert!(e.starts_with("Line 2, column "), "{e}");
        let other = |f: &str, v: u32| {
            read(&format!(
                "{{\"format\":\"{f}\",\"version\":{v},\"charts\":[]}}"
            ))
            .unwrap_err()
        };
        assert_eq!(other("x", 1), ExchangeError::OtherFormat("x".into()));
        assert_eq!(other(FORMAT, 9), ExchangeError::Newer(9));
        assert_eq!(
            read(&" ".repeat(MOST_BYTES + 1)),
            Err(ExchangeError::TooLong)
        );
    }
}
