//! What is put aside by up, and how down brings it back.

use super::{DecisionFault, KEPT_PREFIX, droppable, kept_tail, meant, owner_and_item};
use crate::Dialect;
use crate::dialect::{NameKind, derived_name};
use crate::diff::Renames;
use crate::physical;
use crate::plan::{Choices, Kept, Values};
use crate::schema::Schema;
use crate::sql::in_parentheses;

/// One thing that is kept.
pub(super) struct Keeping<'a> {
    pub(super) text: &'a str,
    pub(super) before: &'a Schema,
    pub(super) after: &'a Schema,
    pub(super) renames: &'a Renames,
    pub(super) dialect: Dialect,
    pub(super) id: &'a str,
}

impl Keeping<'_> {
    fn fault(&self, what: String, help: &str) -> DecisionFault {
        DecisionFault { option: "keep", text: self.text.to_owned(), what, help: help.to_owned() }
    }

    /// Adds what up and down need for it.
    pub(super) fn plan(&self, up: &mut Choices, down: &mut Choices) -> Result<(), DecisionFault> {
        let lowered = self.dialect.lower(self.before);
        let physical =
            lowered.map_err(|_| self.fault("the schema before cannot be stored".into(), "see `oak check`"))?;
        let droppable = droppable(self.before, self.after, self.renames);
        if let Some(table) = physical.schema.table(self.text).filter(|_| self.before.table(self.text).is_some()) {
            if !droppable.iter().any(|one| one == self.text) {
                return Err(self.fault(format!("table `{}` is not dropped", table.name), "name what goes"));
            }
            let plain = || table.columns.iter().filter(|column| column.generated.is_none());
            let kept = Kept {
                name: self.name(&[&table.name]),
                table: table.name.clone(),
                column: None,
                columns: plain().map(|column| (column.name.clone(), self.read(column))).collect(),
            };
            let columns = plain().map(|column| (column.name.clone(), self.read_back("", column))).collect();
            down.restored.push(Kept { columns, ..kept.clone() });
            down.spent.push(kept.name.clone());
            up.kept.push(kept);
            return Ok(());
        }
        let known =
            owner_and_item(self.text, |owner| physical.schema.table(owner).is_some()).and_then(|(owner, name)| {
                let table = physical.schema.table(owner)?;
                Some((table, table.column(name)?))
            });
        let Some((table, column)) = known else {
            let names: Vec<&str> = droppable.iter().map(String::as_str).collect();
            let help = meant(self.text, names.into_iter(), "name a table, or a column as `table.column`, that goes");
            return Err(self.fault("the newest migration has no such thing".into(), &help));
        };
        if !droppable.iter().any(|one| one == self.text) {
            let help = match table.primary_key {
                Some(_) => {
                    "name what goes and is not computed; where the primary key goes or changes its type as well, do that in a migration of its own"
                }
                None => {
                    "its rows cannot be found again without a primary key; keep the whole table, or add a key first"
                }
            };
            return Err(self.fault(format!("column `{}` is not dropped by itself", self.text), help));
        }
        let key = table.primary_key.iter().flat_map(|key| &key.columns);
        let key: Vec<_> = key.filter_map(|part| table.column(&part.name)).collect();
        let kept = Kept {
            name: self.name(&[&table.name, &column.name]),
            table: table.name.clone(),
            column: Some(column.name.clone()),
            columns: key.iter().copied().chain([column]).map(|one| (one.name.clone(), self.read(one))).collect(),
        };
        let quote = |name: &str| self.dialect.quote(name);
        let same: Vec<_> = key
            .iter()
            .map(|part| {
                let name = quote(&part.name);
                format!("{} = {}.{name}", self.read_back("kept.", part), self.dialect.quote_object(&table.name))
            })
            .collect();
        let from = format!("from {} kept where {}", quote(&kept.name), same.join(" and "));
        let value = format!("(select {} {from})", self.read_back("kept.", column));
        // Rows that came later have what a new row would have.
        let expression = match &column.default {
            None => value,
            Some(default) => {
                format!("case when exists (select 1 {from}) then {value} else {} end", in_parentheses(default.text()))
            }
        };
        down.values.insert((table.name.clone(), column.name.clone()), Values::Fill(expression));
        down.spent.push(kept.name.clone());
        down.returning.push(kept.clone());
        up.kept.push(kept);
        Ok(())
    }

    /// A name that says what is in it, made unique by the migration's id.
    fn name(&self, path: &[&str]) -> String {
        let stem = format!("{KEPT_PREFIX}{}", kept_tail(self.id));
        // It is where names without a namespace are.
        let path: Vec<String> = path.iter().map(|name| name.replace(['.', '"'], "_")).collect();
        derived_name(&stem, path.iter().map(String::as_str), NameKind::Kept, self.dialect.facts().identifier_limit)
    }

    /// The value as it is kept: of an enum type, which may go, as text.
    fn read(&self, column: &physical::Column) -> String {
        let name = self.dialect.quote(&column.name);
        if self.is_of_enum(column) { format!("{name}::text") } else { name }
    }

    fn read_back(&self, prefix: &str, column: &physical::Column) -> String {
        let name = self.dialect.quote(&column.name);
        match self.is_of_enum(column) {
            true => format!("{prefix}{name}::{}", column.ty.text()),
            false => format!("{prefix}{name}"),
        }
    }

    fn is_of_enum(&self, column: &physical::Column) -> bool {
        self.before.enums().any(|one| self.dialect.is_of_enum(&column.ty, one.name.as_str()))
    }
}
