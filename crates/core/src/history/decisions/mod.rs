//! What a person decided when a migration was drafted, as it is written on the command line and in `record.toml`.

mod assignment;
mod keeping;

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};

use self::assignment::Assignment;
use self::keeping::Keeping;
use crate::Dialect;
use crate::diff::Renames;
use crate::nearest::nearest;
use crate::plan::{Choices, Values};
use crate::schema::{Column, Enum, Provider, Schema, Scoped, Table, Type};

/// Decisions, each in the words of its option.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Decisions {
    /// `keeper.name=full_name`, or `members=keeper`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rename: Vec<String>,
    /// `keeper.name`: it goes, whatever is like it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub no_rename: Vec<String>,
    /// `hive.site=VALUE`: what rows get that have none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fill: Vec<String>,
    /// `hive.weight=(expression)`: what becomes of every value.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub convert: Vec<String>,
    /// The same for the way back.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub convert_back: Vec<String>,
    /// `hive.notes`, or `hive`: it is put aside before it is dropped.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub keep: Vec<String>,
    /// `temper.wild=calm`: a word that goes, and the one that rows get in its place.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub replace: Vec<String>,
    /// How many rows are filled at a time, each lot committed by itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub batch: Option<u32>,
    /// Whether others are to go on reading and writing meanwhile, where the provider can do it so.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub online: bool,
    /// Whether the bodies of routines are taken as they stand, also where they name what is not there.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unchecked_bodies: bool,
}

impl Decisions {
    /// All of them, each as the option of `oak draft` that says it, without its hyphens, and what stands behind it.
    pub fn options(&self) -> Vec<(&'static str, String)> {
        let lists = [
            ("rename", &self.rename),
            ("no-rename", &self.no_rename),
            ("fill", &self.fill),
            ("convert", &self.convert),
            ("convert-back", &self.convert_back),
            ("replace", &self.replace),
            ("keep", &self.keep),
        ];
        let each = |(option, texts): (&'static str, &Vec<String>)| -> Vec<_> {
            texts.iter().map(|text| (option, text.clone())).collect()
        };
        let batch = self.batch.map(|rows| ("batch", rows.to_string()));
        let online = self.online.then(|| ("online", String::new()));
        let bodies = self.unchecked_bodies.then(|| ("unchecked-bodies", String::new()));
        lists.into_iter().flat_map(each).chain(batch).chain(online).chain(bodies).collect()
    }
}

/// How the tables begin that values are put aside in.
pub const KEPT_PREFIX: &str = "hollow_oak_kept_";

/// What stands of a migration's id behind the prefix: its last eight letters and digits.
pub fn kept_tail(id: &str) -> String {
    let letters: Vec<char> = id.chars().filter(char::is_ascii_alphanumeric).collect();
    letters[letters.len().saturating_sub(8)..].iter().collect()
}

/// A decision that does not fit the schemas.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`--{option} {text}`: {what}")]
pub struct DecisionFault {
    /// The option's name, without its hyphens.
    pub option: &'static str,
    /// What was given.
    pub text: String,
    /// What is wrong.
    pub what: String,
    /// What to type instead.
    pub help: String,
}

/// The parts of `hive.site`; either may have points of its own.
fn owner_and_item(path: &str, is_owner: impl Fn(&str) -> bool) -> Option<(&str, &str)> {
    let mut points = path.match_indices('.').rev().map(|(at, _)| (&path[..at], &path[at + 1..]));
    points.find(|(owner, _)| is_owner(owner)).or_else(|| path.rsplit_once('.'))
}

impl Decisions {
    /// Whether nothing was decided.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// All that is renamed between the two schemas: by `formerly`, and by decision.
    ///
    /// # Errors
    ///
    /// A decision that names something that is not there.
    pub fn renames(&self, before: &Schema, after: &Schema) -> Result<Renames, DecisionFault> {
        let mut decided = Renames::default();
        for text in &self.rename {
            let fault = |what: String, help: String| DecisionFault { option: "rename", text: text.clone(), what, help };
            let Some((old, new)) = text.split_once('=') else {
                return Err(fault("there is no `=` in it".into(), "write `--rename keeper.name=full_name`".into()));
            };
            let (old, new) = (old.trim(), new.trim());
            if before.table(old).is_some() && after.table(new).is_some() {
                decided.tables.insert(old.to_owned(), new.to_owned());
                continue;
            }
            let known = Renames::between(before, after).and(decided.clone());
            let is_owner = |name: &str| {
                before.enumeration(name).is_some() || before.table(known.former_table(name).unwrap_or(name)).is_some()
            };
            let Some((owner, item)) = owner_and_item(old, is_owner) else {
                let known = before.tables().map(|table| table.name.as_str());
                let what = match before.table(old) {
                    Some(_) => format!("the declarations have no table `{new}`"),
                    None => format!("the newest migration has no table `{old}`"),
                };
                return Err(fault(what, meant(old, known, "name a table, or a column as `table.column`")));
            };
            let short = new.rsplit_once('.').map_or(new, |(_, short)| short);
            if let (Some(from), Some(to)) = (before.enumeration(owner), after.enumeration(owner)) {
                let has = |one: &Enum, word: &str| one.words.iter().any(|other| other.as_str() == word);
                if has(from, item) && has(to, short) {
                    let words = decided.words.entry(owner.to_owned()).or_default();
                    words.insert(item.to_owned(), short.to_owned());
                    continue;
                }
                return Err(fault(
                    format!("enum `{owner}` has no such words"),
                    "name its old word and its new one".into(),
                ));
            }
            // The table is named as it was or as it is.
            let former = known.former_table(owner).unwrap_or(owner).to_owned();
            let Some(from) = before.table(&former) else {
                let names = before.tables().map(|table| table.name.as_str());
                let what = format!("the newest migration has no table `{owner}`");
                return Err(fault(what, meant(owner, names, "name a table of the newest migration")));
            };
            let to = after.table(known.new_table(&former));
            let has = |table: &Table, name: &str| table.columns.iter().any(|column| column.name.as_str() == name);
            let names = |table: &Table| table.columns.iter().map(|one| one.name.to_string()).collect::<Vec<_>>();
            if !has(from, item) {
                let names = names(from);
                let what = format!("table `{owner}` had no column `{item}`");
                let help = meant(item, names.iter().map(String::as_str), "name a column of the newest migration");
                return Err(fault(what, help));
            }
            match to {
                Some(to) if has(to, short) => {}
                _ => {
                    let names = to.map(names).unwrap_or_default();
                    let what = format!("table `{owner}` has no column `{short}`");
                    return Err(fault(what, meant(short, names.iter().map(String::as_str), "declare it first")));
                }
            }
            decided.columns.entry(former).or_default().insert(item.to_owned(), short.to_owned());
        }
        Ok(Renames::between(before, after).and(decided))
    }

    /// The choices for up and for down of the migration with this id.
    ///
    /// # Errors
    ///
    /// A decision that does not fit.
    pub fn choices(
        &self,
        before: &Schema,
        after: &Schema,
        dialect: Dialect,
        id: &str,
    ) -> Result<(Choices, Choices), DecisionFault> {
        let renames = self.renames(before, after)?;
        let back = renames.inverse();
        let Self { online, unchecked_bodies, .. } = *self;
        let both = Choices { online, unchecked_bodies, ..Choices::default() };
        let mut up = Choices { renames: renames.clone(), ..both.clone() };
        let mut down = Choices { renames: back.clone(), ..both };
        self.replaced(before, after, &mut up, &mut down)?;
        words(&mut up, before, after, dialect);
        words(&mut down, after, before, dialect);
        for text in &self.fill {
            let read = Assignment::read("fill", text, after, &back)?;
            if let Some(expression) = read.value(after, dialect, &renames)? {
                up.values.insert(read.key(), Values::Fill(expression));
            }
        }
        if let Some(rows) = self.batch {
            self.check_batch(rows, before, after, &renames)?;
            up.batch = Some(rows);
        }
        for text in &self.convert {
            let read = Assignment::read("convert", text, after, &back)?;
            if let Some(expression) = read.value(after, dialect, &renames)? {
                read.refuse_key(dialect)?;
                up.values.insert(read.key(), Values::Convert(expression));
            }
        }
        for text in &self.convert_back {
            let read = Assignment::read("convert-back", text, before, &renames)?;
            if let Some(expression) = read.value(before, dialect, &back)? {
                read.refuse_key(dialect)?;
                down.values.insert(read.key(), Values::Convert(expression));
            }
        }
        for text in &self.keep {
            let keeping = Keeping { text, before, after, renames: &renames, dialect, id };
            keeping.plan(&mut up, &mut down)?;
        }
        Ok((up, down))
    }

    /// What rows get in the place of words that go: those of before go with up, those of after with down.
    fn replaced(
        &self,
        before: &Schema,
        after: &Schema,
        up: &mut Choices,
        down: &mut Choices,
    ) -> Result<(), DecisionFault> {
        for text in &self.replace {
            let fault =
                |what: String, help: String| DecisionFault { option: "replace", text: text.clone(), what, help };
            let form = "write `--replace temper.wild=calm`";
            let known = |owner: &str| before.enumeration(owner).zip(after.enumeration(owner));
            let (path, new) = text.split_once('=').ok_or_else(|| fault("there is no `=` in it".into(), form.into()))?;
            let (path, new) = (path.trim(), new.trim());
            let Some((owner, word)) = owner_and_item(path, |owner| known(owner).is_some()) else {
                return Err(fault(format!("`{path}` names no word of an enum"), form.into()));
            };
            let Some((from, to)) = known(owner) else {
                let names = after.enums().map(|one| one.name.as_str());
                return Err(fault(
                    format!("there is no enum `{owner}` both before and after"),
                    meant(owner, names, "name an enum of the declarations"),
                ));
            };
            let renamed = up.renames.words.get(owner);
            let goes = has_word(from, word) && !has_word(to, word);
            let comes = has_word(to, word) && !has_word(from, word);
            let is_renamed = renamed.is_some_and(|words| words.iter().any(|(old, new)| old == word || new == word));
            let (choices, side) = match (goes, comes) {
                _ if is_renamed => {
                    return Err(fault(format!("`{word}` is renamed, and rows keep it"), "leave it out".into()));
                }
                (true, _) => (&mut *up, to),
                (_, true) => (&mut *down, from),
                _ => {
                    let differs = |one: &Enum, other: &Enum| -> Vec<String> {
                        let words = one.words.iter().filter(|word| !has_word(other, word.as_str()));
                        words.map(ToString::to_string).collect()
                    };
                    let all = [differs(from, to), differs(to, from)].concat();
                    return Err(fault(
                        format!("`{word}` neither goes nor comes with this migration"),
                        meant(word, all.iter().map(String::as_str), "name a word that goes, or one that comes"),
                    ));
                }
            };
            if !has_word(side, new) {
                let words = side.words.iter().map(|word| word.as_str());
                return Err(fault(
                    format!("enum `{owner}` has no word `{new}` then"),
                    meant(new, words, "name a word that rows can have"),
                ));
            }
            choices.replaced.entry(owner.to_owned()).or_default().insert(word.to_owned(), new.to_owned());
        }
        Ok(())
    }

    /// Lots go along the primary key, which has to be the same before and after.
    fn check_batch(&self, rows: u32, before: &Schema, after: &Schema, renames: &Renames) -> Result<(), DecisionFault> {
        let fault = |what: String, help: &str| {
            Err(DecisionFault { option: "batch", text: rows.to_string(), what, help: help.to_owned() })
        };
        if self.fill.is_empty() {
            return fault("nothing is filled".into(), "`--fill hive.site='(expression)'` says what rows get");
        }
        let back = renames.inverse();
        for text in &self.fill {
            let (name, _) = Assignment::read("fill", text, after, &back)?.key();
            let Some(table) = after.table(name.as_str()) else { continue };
            let former = renames.former_table(&name).unwrap_or(&name);
            let key = |table: &Table| -> Vec<String> {
                let columns = table.primary_keys.iter().flat_map(|key| &key.columns);
                columns.map(ToString::to_string).collect()
            };
            let columns = renames.columns_of(former);
            let new = |name: String| columns.and_then(|names| names.get(&name)).cloned().unwrap_or(name);
            let was: Vec<String> = before.table(former).map(key).unwrap_or_default().into_iter().map(new).collect();
            if was.is_empty() || was != key(table) {
                return fault(
                    format!("table `{name}` has no primary key that stays, along which lots could go"),
                    "leave `--batch` out: then all rows are filled at once; or give the table its key in a migration before",
                );
            }
        }
        Ok(())
    }

    /// Whether every fill can be read for a provider.
    ///
    /// # Errors
    ///
    /// The first one that cannot.
    pub fn check_fills(&self, before: &Schema, after: &Schema, dialect: Dialect) -> Result<(), DecisionFault> {
        let renames = self.renames(before, after)?;
        let back = renames.inverse();
        for text in &self.fill {
            Assignment::read("fill", text, after, &back)?.value(after, dialect, &renames)?;
        }
        Ok(())
    }

    /// What goes and could be kept, as it is written for `--keep`.
    ///
    /// # Errors
    ///
    /// A decision that does not fit.
    pub fn droppable(&self, before: &Schema, after: &Schema) -> Result<Vec<String>, DecisionFault> {
        Ok(droppable(before, after, &self.renames(before, after)?))
    }

    /// Columns that become required, or come as such, without a default or anything else that gives rows a value
    /// on each of the providers, by `table.column`: rows that are there would be in their way.
    ///
    /// # Errors
    ///
    /// A decision that does not fit.
    pub fn unfilled(
        &self,
        before: &Schema,
        after: &Schema,
        providers: &[Provider],
    ) -> Result<Vec<String>, DecisionFault> {
        let renames = self.renames(before, after)?;
        let back = renames.inverse();
        let mut decided = Vec::new();
        for (option, texts) in [("fill", &self.fill), ("convert", &self.convert)] {
            for text in texts {
                decided.push(Assignment::read(option, text, after, &back)?.key());
            }
        }
        let mut found = Vec::new();
        for table in after.tables() {
            let former = renames.former_table(table.name.as_str()).unwrap_or(table.name.as_str());
            let Some(from) = before.table(former) else { continue };
            let rows: Vec<_> = after.rows().iter().filter(|rows| rows.table == table.name).collect();
            for column in &table.columns {
                let columns = renames.columns_of(former).into_iter().flatten();
                let old =
                    columns.into_iter().find(|(_, new)| *new == column.name.as_str()).map(|(old, _)| old.as_str());
                let old = old.unwrap_or(column.name.as_str());
                let was = from.columns.iter().find(|one| one.name.as_str() == old);
                let was_open = was.is_none_or(|was| was.nullable);
                let in_rows = |provider| {
                    rows.iter().any(|rows| rows.scope.holds(provider) && rows.columns.contains(&column.name))
                };
                let gives_value = |provider| {
                    Scoped::pick(&column.generated, provider).is_some()
                        || Scoped::pick(&column.identity, provider).is_some()
                        || was.is_none() && (Scoped::pick(&column.default, provider).is_some() || in_rows(provider))
                };
                let mut here = providers.iter().filter(|one| table.scope.holds(**one) && column.scope.holds(**one));
                let has_value = column.nullable || here.all(|one| gives_value(*one));
                let key = (table.name.to_string(), column.name.to_string());
                if was_open && !has_value && !decided.contains(&key) {
                    found.push(format!("{}.{}", key.0, key.1));
                }
            }
        }
        Ok(found)
    }

    /// The conversions that say nothing of the way back, by `table.column`.
    ///
    /// # Errors
    ///
    /// A decision that does not fit.
    pub fn one_way(&self, before: &Schema, after: &Schema) -> Result<Vec<String>, DecisionFault> {
        let renames = self.renames(before, after)?;
        let back = renames.inverse();
        let mut returns = Vec::new();
        for text in &self.convert_back {
            returns.push(Assignment::read("convert-back", text, before, &renames)?.key());
        }
        let mut missing = Vec::new();
        for text in &self.convert {
            let (table, column) = Assignment::read("convert", text, after, &back)?.key();
            let former_table = renames.former_table(&table).unwrap_or(&table).to_owned();
            let columns = renames.columns_of(&former_table);
            let former = columns.and_then(|names| names.iter().find(|(_, new)| **new == column)).map(|(old, _)| old);
            let key = (former_table, former.cloned().unwrap_or(column));
            let is_new =
                before.table(&key.0).is_none_or(|table| !table.columns.iter().any(|one| one.name.as_str() == key.1));
            if !is_new && !returns.contains(&key) {
                missing.push(format!("{}.{}", key.0, key.1));
            }
        }
        Ok(missing)
    }
}

/// Tables that go, and columns of tables with a key that stays.
fn droppable(before: &Schema, after: &Schema, renames: &Renames) -> Vec<String> {
    let mut found = Vec::new();
    for table in before.tables() {
        let name = table.name.as_str();
        let renamed = renames.tables.contains_key(name);
        let taken_over = !renamed && renames.former_table(name).is_some();
        let Some(to) = after.table(renames.new_table(name)).filter(|_| !taken_over) else {
            found.push(name.to_owned());
            continue;
        };
        if table.primary_keys.is_empty() {
            continue;
        }
        let columns = renames.columns_of(name);
        let goes = |column: &&Column| {
            let old = column.name.as_str();
            let renamed = columns.is_some_and(|names| names.contains_key(old));
            let taken = columns.is_some_and(|names| names.values().any(|new| new == old));
            column.generated.is_empty() && !renamed && (taken || to.column(&column.name).is_none())
        };
        // Without their key, rows are not found again.
        let key_goes = table.primary_keys.iter().flat_map(|key| &key.columns).any(|part| {
            let Some(column) = table.column(part) else { return true };
            let new = columns.and_then(|names| names.get(part.as_str())).map_or(part.as_str(), String::as_str);
            let after = to.columns.iter().find(|one| one.name.as_str() == new);
            goes(&column) || after.is_none_or(|after| after.ty != column.ty || after.native != column.native)
        });
        if !key_goes {
            found.extend(table.columns.iter().filter(goes).map(|column| format!("{name}.{}", column.name)));
        }
    }
    found
}

fn meant<'a>(word: &str, known: impl Iterator<Item = &'a str>, otherwise: &str) -> String {
    nearest(word, known).map_or(otherwise.to_owned(), |found| format!("did you mean `{found}`?"))
}

/// Conversions of columns whose words are renamed or replaced, where a column has words of its own.
fn words(choices: &mut Choices, before: &Schema, after: &Schema, dialect: Dialect) {
    if dialect.facts().has_enum_types {
        return;
    }
    let owners = choices.renames.words.keys().chain(choices.replaced.keys());
    for owner in owners.cloned().collect::<BTreeSet<_>>() {
        let (Some(from), Some(to)) = (before.enumeration(&owner), after.enumeration(&owner)) else { continue };
        let renamed = choices.renames.words.get(&owner).into_iter().flatten();
        let renamed = renamed.filter(|(old, new)| has_word(from, old) && has_word(to, new));
        let pairs = renamed.chain(choices.replaced.get(&owner).into_iter().flatten());
        let whens: String =
            pairs.map(|(old, new)| format!(" when {} then {}", dialect.literal(old), dialect.literal(new))).collect();
        for table in after.tables() {
            let is_of = |column: &&Column| matches!(&column.ty, Type::Enum(name) if name.as_str() == owner);
            let former = choices.renames.former_table(table.name.as_str()).unwrap_or(table.name.as_str());
            let Some(was) = before.table(former) else { continue };
            for column in table.columns.iter().filter(is_of).filter(|column| column.generated.is_empty()) {
                let columns = choices.renames.columns_of(former);
                let old = columns.and_then(|names| names.iter().find(|(_, new)| *new == column.name.as_str()));
                let old = old.map_or(column.name.as_str(), |(old, _)| old.as_str());
                if was.columns.iter().any(|one| one.name.as_str() == old) {
                    let name = dialect.quote(column.name.as_str());
                    let expression = format!("case {name}{whens} else {name} end");
                    let key = (table.name.to_string(), column.name.to_string());
                    choices.values.insert(key, Values::Convert(expression));
                }
            }
        }
    }
}

fn has_word(one: &Enum, word: &str) -> bool {
    one.words.iter().any(|other| other.as_str() == word)
}
