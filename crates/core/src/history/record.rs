//! `record.toml`: what a migration's folder says about it.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::Decisions;
use crate::plan::Risk;
use crate::script::{Script, StepOrigin, step_hash};

/// The version of the record's layout.
pub const FORMAT: u32 = 1;

/// A migration's record.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Record {
    /// The version of the layout.
    pub format: u32,
    /// Made when the migration is drafted; it never changes.
    pub id: String,
    /// What the migration is for.
    pub title: String,
    /// The ids of the migrations it follows.
    pub parents: Vec<String>,
    /// The ids of the migrations it stands for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub replaces: Vec<String>,
    /// When it was drafted, UTC.
    pub drafted_at: String,
    /// The version of oak that drafted it.
    pub oak_version: String,
    /// Fingerprint of the physical schema after the migration, by provider.
    pub expected: BTreeMap<String, String>,
    /// What was decided when it was drafted.
    #[serde(default, skip_serializing_if = "Decisions::is_empty")]
    pub choices: Decisions,
    /// Risks that somebody took upon them, with the reason.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub accepted: Vec<Acceptance>,
    /// The generated steps, by provider.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub steps: BTreeMap<String, StepRecords>,
}

/// A risk of a step that somebody accepted. It is bound to the step's text: an edit voids it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Acceptance {
    /// The word for the risk.
    pub risk: String,
    /// Why.
    pub because: String,
    /// Who, by the name on that machine.
    pub by: String,
    /// When, UTC.
    pub at: String,
    /// The provider whose script it is.
    pub provider: String,
    /// `up` or `down`.
    pub direction: String,
    /// What the step does.
    pub step: String,
    /// Hash of the step's generated text.
    pub hash: String,
}

/// The generated steps of one provider's scripts.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct StepRecords {
    /// Those of the up script.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub up: Vec<StepRecord>,
    /// Those of the down script.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub down: Vec<StepRecord>,
}

/// A generated step.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct StepRecord {
    /// What it does.
    pub step: String,
    /// Hash of the generated text.
    pub hash: String,
    /// Its risks, each with its kind before a colon.
    #[serde(default, skip_serializing_if = "Vec::is_empty", with = "risk_lines")]
    pub risks: Vec<Risk>,
}

mod risk_lines {
    use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error};

    use crate::plan::Risk;

    pub fn serialize<S: Serializer>(risks: &[Risk], serializer: S) -> Result<S::Ok, S::Error> {
        let lines: Vec<_> = risks.iter().map(ToString::to_string).collect();
        lines.serialize(serializer)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<Risk>, D::Error> {
        let lines = Vec::<String>::deserialize(deserializer)?;
        lines.iter().map(|line| line.parse().map_err(D::Error::custom)).collect()
    }
}

/// A record that cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RecordError {
    /// Not the expected TOML.
    #[error("{message}")]
    Malformed {
        /// What is wrong, in one line.
        message: String,
        /// The line, from 1, where known.
        line: Option<usize>,
    },
    /// Written by a later version.
    #[error("it has format {0}, and this oak reads format {FORMAT}; update oak")]
    Newer(u32),
}

impl Record {
    /// Reads a record.
    ///
    /// # Errors
    ///
    /// Where the text is not a record, or one of a later format.
    pub fn read(text: &str) -> Result<Self, RecordError> {
        #[derive(Deserialize)]
        struct FormatOnly {
            format: u32,
        }
        // Line ends of another system mean the same, in texts of several lines, too.
        let plain = text.contains('\r').then(|| text.replace("\r\n", "\n"));
        let text = plain.as_deref().unwrap_or(text);
        let malformed = |error: toml::de::Error| RecordError::Malformed {
            message: error.message().to_owned(),
            line: error.span().map(|span| crate::span::line_of(text, span.start)),
        };
        let FormatOnly { format } = toml::from_str(text).map_err(malformed)?;
        if format > FORMAT {
            return Err(RecordError::Newer(format));
        }
        toml::from_str(text).map_err(malformed)
    }

    /// Reads a record without its acceptances and steps, which are most of its text and only wanted for one migration or another.
    ///
    /// # Errors
    ///
    /// As for [`Self::read`].
    pub fn read_head(text: &str) -> Result<Self, RecordError> {
        // The steps are the only tables in double brackets, and the last of the file.
        Self::read(text.split("\n[[").next().unwrap_or(text).trim_end())
    }

    /// The acceptance of a risk of a step, if there is one.
    pub fn acceptance(&self, provider: &str, direction: &str, hash: &str, risk: &str) -> Option<&Acceptance> {
        self.accepted
            .iter()
            .find(|one| one.provider == provider && one.direction == direction && one.hash == hash && one.risk == risk)
    }

    /// The record's text.
    pub fn write(&self) -> String {
        let body = toml::to_string(self).expect("a record has nothing that TOML cannot hold");
        format!("# Written by oak. The id ties this folder to the journals of your targets; leave it as it is.\n{body}")
    }
}

impl StepRecord {
    /// The record of a generated step that a script holds unchanged.
    pub fn of<'a>(records: &'a [Self], script: &Script, at: usize) -> Option<&'a Self> {
        let step = script.steps.get(at)?;
        let StepOrigin::Generated { hash } = &step.origin else { return None };
        let known = records.iter().find(|record| record.hash == *hash)?;
        (step_hash(&step.body) == known.hash).then_some(known)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::RiskKind;

    fn record() -> Record {
        let risk = Risk { kind: RiskKind::LosesData, what: "every row of hive is lost: \"all\"".into() };
        let step = StepRecord { step: "drop table hive".into(), hash: "00ff".into(), risks: vec![risk] };
        let steps = StepRecords { up: vec![step], down: Vec::new() };
        Record {
            format: FORMAT,
            id: "0193".into(),
            title: "retire \"hives\"".into(),
            parents: vec!["0192".into()],
            replaces: Vec::new(),
            drafted_at: "2026-05-01T08:00:00Z".into(),
            oak_version: "0.1.0".into(),
            expected: BTreeMap::from([("sqlite".into(), "abc".into())]),
            choices: Decisions { fill: vec!["hive.site='Lower Heath'".into()], ..Decisions::default() },
            accepted: vec![Acceptance {
                risk: "loses-data".into(),
                because: "nobody reads \"them\"".into(),
                by: "maren".into(),
                at: "2026-05-01T09:00:00Z".into(),
                provider: "sqlite".into(),
                direction: "up".into(),
                step: "drop table hive".into(),
                hash: "00ff".into(),
            }],
            steps: BTreeMap::from([("sqlite".into(), steps)]),
        }
    }

    #[test]
    fn a_record_reads_back_as_written() {
        assert_eq!(Record::read(&record().write()), Ok(record()));
        let head = Record { steps: BTreeMap::new(), accepted: Vec::new(), ..record() };
        assert_eq!(Record::read_head(&record().write()), Ok(head));
    }

    #[test]
    fn a_later_format_is_refused() {
        let text = record().write().replace("format = 1", "format = 2\nnew = true");
        assert_eq!(Record::read(&text), Err(RecordError::Newer(2)));
    }

    #[test]
    fn a_mistake_is_told_with_its_line() {
        let text = record().write().replace("parents", "parent");
        let error = Record::read(&text).expect_err("an unknown key is refused");
        assert!(matches!(error, RecordError::Malformed { line: Some(5), .. }), "{error:?}");
    }
}
