//! What PostgreSQL keeps of columns, keys, checks and indexes that the language has no clause for: the words of
//! `option "…"`, and how each is written as SQL.

use super::inheriting::{ALSO_INHERITED, INHERITED};
use super::quote::{quote, quote_object};
use super::sequence::Range;
use super::types::split;
use crate::dialect::lowering::Attributed;
use crate::physical::{Options, TypeName, qualified};
pub(super) use crate::schema::DELETED_COLUMNS;

/// Of a key: its last column is a range, and no two rows with the same values before it have ranges that overlap
/// (PostgreSQL 18, "CREATE TABLE").
/// How the least and the greatest number of an identity column are said, before both.
pub(super) const IDENTITY_RANGE: &str = "identity from ";

pub(super) const WITHOUT_OVERLAPS: &str = "without overlaps";
/// Of a reference: its last column is a range that such ranges of the referenced rows have to cover (PostgreSQL 18, "CREATE
/// TABLE").
pub(super) const PERIOD: &str = "period";

/// An option as it is compared; nothing where there is no such option.
pub(super) fn known(on: Attributed, option: &str) -> Option<String> {
    let folded = option.trim().to_ascii_lowercase();
    let folded = match folded.split_once('=') {
        // The catalogue has no spaces there, and no quotes.
        Some((name, value)) if is_word(name.trim()) => format!("{}={}", name.trim(), value.trim().trim_matches('\'')),
        _ => folded,
    };
    match (on, folded.as_str()) {
        // As good as not said (PostgreSQL 17, "ALTER TABLE", SET COMPRESSION, SET STATISTICS; "CREATE TABLE").
        (Attributed::Column, "storage default" | "compression default" | "statistics -1")
        | (Attributed::Key, "not deferrable" | "initially immediate" | "not deferrable initially immediate")
        | (Attributed::Reference, "match simple")
        | (Attributed::Index, "tablespace pg_default")
        | (Attributed::Key, "using index tablespace pg_default") => return Some(String::new()),
        (Attributed::Key, "deferrable initially immediate") => return Some("deferrable".into()),
        (Attributed::Key, "initially deferred") => return Some("deferrable initially deferred".into()),
        _ => {}
    }
    let is_parameter = folded.split_once('=').is_some_and(|(name, value)| is_word(name) && !value.is_empty());
    let known = match on {
        Attributed::Column => {
            folded == "serial"
                || matches!(folded.as_str(), INHERITED | ALSO_INHERITED)
                || folded == "identity cycle"
                || storage_word(&folded).is_some()
                || folded.strip_prefix("compression ").is_some_and(is_word)
                || folded.strip_prefix("statistics ").is_some_and(|number| number.parse::<i32>().is_ok())
                || folded.strip_prefix("identity cache ").is_some_and(|number| number.parse::<u64>().is_ok())
                || folded.starts_with(IDENTITY_RANGE)
                || folded.starts_with("identity sequence ")
                || folded.starts_with("n_distinct")
        }
        Attributed::Key => {
            matches!(folded.as_str(), "deferrable" | "deferrable initially deferred" | "inherited" | WITHOUT_OVERLAPS)
                || is_parameter
                || folded.starts_with("include (")
                || folded.starts_with("using index tablespace ")
                || folded == "replica identity"
                || folded == "clustered"
        }
        Attributed::Reference => {
            matches!(folded.as_str(), "not valid" | "match full" | "inherited" | "not enforced" | PERIOD)
                || folded.starts_with(DELETED_COLUMNS)
        }
        Attributed::Check => {
            matches!(folded.as_str(), "not valid" | "no inherit" | INHERITED | ALSO_INHERITED | "not enforced")
        }
        Attributed::Index => {
            matches!(folded.as_str(), "nulls not distinct" | "clustered" | "replica identity")
                || is_parameter
                || folded.starts_with("tablespace ")
                || index_statistics(&folded).is_some()
        }
    };
    // Names keep their letter case.
    let has_name = ["include (", "identity sequence ", DELETED_COLUMNS].iter().any(|word| folded.starts_with(word));
    let kept = if has_name { option.trim().to_owned() } else { folded };
    known.then_some(kept)
}

fn is_word(text: &str) -> bool {
    !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_')
}

/// PostgreSQL 17, "ALTER TABLE", SET STORAGE.
fn storage_word(attribute: &str) -> Option<&str> {
    attribute.strip_prefix("storage ").filter(|word| ["plain", "external", "extended", "main"].contains(word))
}

/// Whether it says of a column what holds for its type anyway (PostgreSQL 17, "TOAST", and `typstorage` of `pg_type`): what has
/// one length is stored plainly, numbers and addresses of many lengths in the table as long as they fit, others beside it.
pub(super) fn is_usual_storage(attribute: &str, ty: &TypeName) -> bool {
    let (base, rest) = split(ty.canonical());
    let usual = match base.as_str() {
        _ if rest.ends_with(']') => "extended",
        "TEXT" | "CHARACTER VARYING" | "CHARACTER" | "BYTEA" | "JSON" | "JSONB" | "XML" | "TSVECTOR" => "extended",
        "NUMERIC" | "INET" | "CIDR" => "main",
        "SMALLINT" | "INTEGER" | "BIGINT" | "REAL" | "DOUBLE PRECISION" | "BOOLEAN" | "UUID" | "DATE" | "INTERVAL" => {
            "plain"
        }
        other if other.starts_with("TIME") => "plain",
        _ => return false,
    };
    storage_word(attribute) == Some(usual)
}

/// The actions of `alter column` that give a column what it has and did not have, and take what it had.
pub(super) fn column_actions(from: &Options, to: &Options) -> Vec<String> {
    let gone = from.difference(to).filter_map(|attribute| {
        let word = attribute.split([' ', '=']).next().unwrap_or_default();
        let stays = to.iter().any(|other| other.split([' ', '=']).next() == Some(word));
        match word {
            _ if stays => None,
            "storage" => Some("set storage extended".to_owned()),
            "compression" => Some("set compression default".to_owned()),
            "statistics" => Some("set statistics -1".to_owned()),
            "n_distinct" | "n_distinct_inherited" => Some(format!("reset ({word})")),
            _ => None,
        }
    });
    let new = to.difference(from).filter_map(|attribute| {
        if attribute.starts_with("n_distinct") {
            return Some(format!("set ({attribute})"));
        }
        let is_set = ["storage ", "compression ", "statistics "].iter().any(|word| attribute.starts_with(word));
        is_set.then(|| format!("set {attribute}"))
    });
    gone.chain(new).collect()
}

/// What the options of an identity column's sequence add to its definition.
pub(super) fn numbering(attributes: &Options) -> Vec<String> {
    let mut options = Vec::new();
    for attribute in attributes {
        if let Some((least, most)) = attribute.strip_prefix(IDENTITY_RANGE).and_then(|range| range.split_once(" to ")) {
            options.push(format!("minvalue {least} maxvalue {most}"));
        } else if let Some(name) = attribute.strip_prefix("identity sequence ") {
            options.push(format!("sequence name {}", quote(name)));
        } else if let Some(size) = attribute.strip_prefix("identity cache ") {
            options.push(format!("cache {size}"));
        } else if attribute == "identity cycle" {
            options.push("cycle".to_owned());
        }
    }
    options
}

/// The least and the greatest number of an identity column, where they are said.
pub(super) fn range(attributes: &Options) -> Option<Range> {
    let said = attributes.iter().find_map(|attribute| attribute.strip_prefix(IDENTITY_RANGE))?;
    let (least, most) = said.split_once(" to ")?;
    Some((least.parse().ok()?, most.parse().ok()?))
}

/// How [`range`] is said.
pub(super) fn identity_range((least, most): Range) -> String {
    format!("{IDENTITY_RANGE}{least} to {most}")
}

/// The name of an identity column's sequence, where it is another than the server gives it.
pub(super) fn sequence_name(attributes: &Options) -> Option<&str> {
    attributes.iter().find_map(|attribute| attribute.strip_prefix("identity sequence "))
}

/// The actions of `alter column` that bring the options of an identity column's sequence from one to the other
/// (PostgreSQL 17, "ALTER TABLE", SET sequence_option).
pub(super) fn numbering_actions(from: &Options, to: &Options) -> Vec<String> {
    let behind = |attributes: &Options, word: &str| {
        attributes.iter().find_map(|attribute| attribute.strip_prefix(word).map(str::to_owned))
    };
    let mut actions = Vec::new();
    let (old, new) = (behind(from, IDENTITY_RANGE), behind(to, IDENTITY_RANGE));
    if old != new {
        let range = new.as_deref().and_then(|range| range.split_once(" to "));
        actions.push(match range {
            Some((least, most)) => format!("set minvalue {least} set maxvalue {most}"),
            None => "set no minvalue set no maxvalue".to_owned(),
        });
    }
    let (old, new) = (behind(from, "identity cache "), behind(to, "identity cache "));
    if old != new {
        actions.push(format!("set cache {}", new.as_deref().unwrap_or("1")));
    }
    match (from.contains("identity cycle"), to.contains("identity cycle")) {
        (false, true) => actions.push("set cycle".to_owned()),
        (true, false) => actions.push("set no cycle".to_owned()),
        _ => {}
    }
    actions
}

/// What stands behind the columns of a key, in the order of the grammar.
pub(super) fn behind_key(attributes: &Options) -> String {
    let mut text = String::new();
    for attribute in attributes.iter().filter(|one| one.starts_with("include (")) {
        text.push_str(&format!(" {attribute}"));
    }
    text.push_str(&parameters(attributes));
    for attribute in attributes.iter().filter(|one| one.starts_with("using index tablespace ")) {
        text.push_str(&format!(" {attribute}"));
    }
    for attribute in attributes.iter().filter(|one| one.starts_with("deferrable")) {
        text.push_str(&format!(" {attribute}"));
    }
    text
}

/// Storage parameters in a `with` clause.
pub(super) fn parameters(attributes: &Options) -> String {
    let parameters: Vec<&str> =
        attributes.iter().filter(|one| parameter_name(one).is_some()).map(String::as_str).collect();
    if parameters.is_empty() { String::new() } else { format!(" with ({})", parameters.join(", ")) }
}

/// The name of a storage parameter, `toast.` before it where it is of the table beside; nothing for another option.
pub(super) fn parameter_name(option: &str) -> Option<&str> {
    let (name, _) = option.split_once('=')?;
    Some(name).filter(|name| is_word(name.strip_prefix("toast.").unwrap_or(name)))
}

/// What is said of an index once it is there.
pub(super) fn about_index(table: &str, index: &str, attributes: &Options) -> Vec<String> {
    let mut statements = Vec::new();
    if attributes.contains("clustered") {
        statements.push(format!("alter table {} cluster on {}", quote_object(table), quote(index)));
    }
    if attributes.contains("replica identity") {
        statements.push(format!("alter table {} replica identity using index {}", quote_object(table), quote(index)));
    }
    for (part, target) in attributes.iter().filter_map(|one| index_statistics(one)) {
        let name = quote_object(&qualified::beside(table, &qualified::part(index)));
        statements.push(format!("alter index {name} alter column {part} set statistics {target}"));
    }
    statements
}

/// `statistics 300 of part 1`: how much is looked at of an expression (PostgreSQL 17, "ALTER INDEX").
fn index_statistics(attribute: &str) -> Option<(u16, u32)> {
    let (target, part) = attribute.strip_prefix("statistics ")?.split_once(" of part ")?;
    Some((part.parse().ok()?, target.parse().ok()?))
}
