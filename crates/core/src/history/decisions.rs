//! What a person decided when a migration was drafted, as it is written on the command line and in `record.toml`.

use serde::{Deserialize, Serialize};

use crate::Dialect;
use crate::diff::Renames;
use crate::language::{Source, declare, print, resolve};
use crate::nearest::nearest;
use crate::plan::{Choices, Values};
use crate::schema::{Column, Enum, Parts, Provider, Schema, Table, Type};
use crate::sql::Expression;

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
            let Some((owner, item)) = old.split_once('.') else {
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
            let known = Renames::between(before, after).and(decided.clone());
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

    /// The choices for up and for down.
    ///
    /// # Errors
    ///
    /// A decision that does not fit.
    pub fn choices(
        &self,
        before: &Schema,
        after: &Schema,
        dialect: Dialect,
    ) -> Result<(Choices, Choices), DecisionFault> {
        let renames = self.renames(before, after)?;
        let back = renames.inverse();
        let mut up = Choices { renames: renames.clone(), ..Choices::default() };
        let mut down = Choices { renames: back.clone(), ..Choices::default() };
        words(&mut up, before, after, dialect);
        words(&mut down, after, before, dialect);
        for text in &self.fill {
            let read = Assignment::read("fill", text, after, &back)?;
            if let Some(expression) = read.value(after, dialect, &renames)? {
                up.values.insert(read.key(), Values::Fill(expression));
            }
        }
        for text in &self.convert {
            let read = Assignment::read("convert", text, after, &back)?;
            if let Some(expression) = read.value(after, dialect, &renames)? {
                up.values.insert(read.key(), Values::Convert(expression));
            }
        }
        for text in &self.convert_back {
            let read = Assignment::read("convert-back", text, before, &renames)?;
            if let Some(expression) = read.value(before, dialect, &back)? {
                down.values.insert(read.key(), Values::Convert(expression));
            }
        }
        Ok((up, down))
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

fn meant<'a>(word: &str, known: impl Iterator<Item = &'a str>, otherwise: &str) -> String {
    nearest(word, known).map_or(otherwise.to_owned(), |found| format!("did you mean `{found}`?"))
}

/// Where an enum is no type of its own, the columns that hold its words are converted.
fn words(choices: &mut Choices, before: &Schema, after: &Schema, dialect: Dialect) {
    if dialect.facts().has_enum_types {
        return;
    }
    for (owner, words) in &choices.renames.words {
        let (Some(from), Some(to)) = (before.enumeration(owner), after.enumeration(owner)) else { continue };
        let there = |one: &Enum, word: &str| one.words.iter().any(|other| other.as_str() == word);
        let words = words.iter().filter(|(old, new)| there(from, old) && there(to, new));
        let whens: String =
            words.map(|(old, new)| format!(" when {} then {}", dialect.literal(old), dialect.literal(new))).collect();
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

/// `table.column=VALUE`, read against the schema that it leads to.
struct Assignment<'a> {
    option: &'static str,
    text: &'a str,
    table: &'a Table,
    column: &'a Column,
    value: &'a str,
}

impl<'a> Assignment<'a> {
    /// `renames` leads from this schema to the other side.
    fn read(option: &'static str, text: &'a str, schema: &'a Schema, renames: &Renames) -> Result<Self, DecisionFault> {
        let fault = |what: String, help: String| DecisionFault { option, text: text.to_owned(), what, help };
        let form = format!("write `--{option} hive.site='(expression)'`");
        let Some((path, value)) = text.split_once('=') else {
            return Err(fault("there is no `=` in it".into(), form));
        };
        let Some((owner, name)) = path.trim().split_once('.') else {
            return Err(fault(format!("`{}` names no column", path.trim()), form));
        };
        // Either side's names are understood.
        let back = renames.inverse();
        let known = schema.table(owner).or_else(|| schema.table(back.new_table(owner)));
        let Some(table) = known else {
            let names = schema.tables().map(|table| table.name.as_str());
            return Err(fault(format!("there is no table `{owner}`"), meant(owner, names, "declare it first")));
        };
        let named = |name: &str| table.columns.iter().find(|column| column.name.as_str() == name);
        let other = back.former_table(table.name.as_str()).unwrap_or(table.name.as_str());
        let renamed = back.columns_of(other).and_then(|names| names.get(name));
        let Some(column) = named(name).or_else(|| renamed.and_then(|new| named(new))) else {
            let names = table.columns.iter().map(|column| column.name.as_str());
            return Err(fault(
                format!("table `{owner}` has no column `{name}`"),
                meant(name, names, "name a column of the declarations"),
            ));
        };
        Ok(Self { option, text, table, column, value: value.trim() })
    }

    fn key(&self) -> (String, String) {
        (self.table.name.to_string(), self.column.name.to_string())
    }

    /// The value as SQL of a provider, by the names of this schema; nothing where it is not meant for it.
    fn value(&self, schema: &Schema, dialect: Dialect, renames: &Renames) -> Result<Option<String>, DecisionFault> {
        let fault = |what: String| DecisionFault {
            option: self.option,
            text: self.text.to_owned(),
            what,
            help: "a value is written as for `default`: a number, 'text', a word of the enum, or (an SQL expression); \
                   `for postgres` behind it says for which provider"
                .to_owned(),
        };
        let mut column = Column::new(self.column.name.clone(), self.column.ty.clone());
        column.native.clone_from(&self.column.native);
        let mut table = Table::new(self.table.name.clone());
        table.columns.push(column);
        let enums: Vec<Enum> = schema.enums().cloned().collect();
        let parts = Parts { tables: vec![table], enums, programs: Vec::new() };
        let (alone, _) =
            Schema::new(parts).map_err(|faults| fault(faults.iter().map(ToString::to_string).collect()))?;
        let declared = print(&declare(&alone));
        let line = declared.lines().find(|line| line.starts_with("    ") && line.contains(": ")).unwrap_or_default();
        let with_default = format!("{line}, default {}", self.in_form());
        let text = declared.replacen(line, &with_default, 1);
        let resolution = resolve(&[Source { name: String::new(), text }]);
        let Some(read) = resolution.schema else {
            let first = resolution.diagnostics.iter().find(|one| one.is_error());
            return Err(fault(first.map_or("it cannot be read".into(), |one| one.message.clone())));
        };
        let lowered = dialect.lower(&read).map_err(|faults| fault(faults.iter().map(ToString::to_string).collect()))?;
        let found = lowered.schema.tables().next().and_then(|table| table.columns.first()?.default.clone());
        let is_meant = |provider: Provider| {
            let column = read.tables().next().and_then(|table| table.columns.first());
            column.is_some_and(|column| column.default.iter().any(|one| one.scope.holds(provider)))
        };
        match found {
            Some(expression) => Ok(Some(self.respelled(&expression, dialect, renames))),
            None if is_meant(dialect.provider()) => Err(fault("null is no value to give".into())),
            None => Ok(None),
        }
    }

    /// An SQL expression may come without its parentheses where nothing else is expected.
    fn in_form(&self) -> String {
        if self.option == "fill" || self.value.starts_with('(') {
            return self.value.to_owned();
        }
        let tail = self.value.rfind(" for ").filter(|at| {
            let mut words = self.value[at + 5..].split(',').map(str::trim);
            words.all(|word| Provider::ALL.iter().any(|provider| provider.word() == word))
        });
        match tail {
            Some(at) => format!("({}){}", &self.value[..at], &self.value[at..]),
            None => format!("({})", self.value),
        }
    }

    /// Under the names that the columns have once the renames are done. Where an expression could not be read, every
    /// name in it stays as it is.
    fn respelled(&self, expression: &Expression, dialect: Dialect, renames: &Renames) -> String {
        let former = renames.former_table(self.table.name.as_str()).unwrap_or(self.table.name.as_str());
        let Some(columns) = renames.columns_of(former).filter(|_| expression.is_parsed()) else {
            return expression.text().to_owned();
        };
        let is_new = |name: &str| columns.values().any(|new| new == name);
        let column = |name: &str| columns.get(name).filter(|_| !is_new(name)).map(|new| dialect.quote(new));
        expression.respelled(|one| column(&one.name), |_| None)
    }
}
