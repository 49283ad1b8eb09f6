//! What is out of the way before other steps: references that stand on what changes, and enums that are made anew.

use super::Planner;
use crate::diff::{Change, ItemChange, TableAlteration};
use crate::physical::{Column, EnumType, ForeignKey, Table, qualified};
use crate::plan::lasting::{Support, begins, column_parts, support};
use crate::plan::order::made_first;
use crate::plan::step::{Commented, Constraint, EnumSwap, Step, SwappedColumn};
use crate::sql::Expression;

impl Planner<'_> {
    pub(super) fn enums(&mut self, changes: &[Change<EnumType>], dropped_tables: &[Table]) {
        for change in changes {
            match change {
                Change::Add(one) => self.stages.make_enums.push(Step::CreateEnum(one.clone())),
                Change::Drop(one) => self.stages.drop_enums.push(Step::DropEnum(one.clone())),
                Change::Alter { from, to } | Change::Rename { from, to } => self.alter_enum(from, to, dropped_tables),
            }
        }
    }

    fn alter_enum(&mut self, from: &EnumType, to: &EnumType, dropped_tables: &[Table]) {
        if from.comment != to.comment {
            let on = Commented::Enum(to.name.clone());
            self.stages.describe.push(Step::SetComment { on, text: to.comment.clone() });
        }
        if from.words == to.words {
            return;
        }
        if from.only_gains(to) {
            let mut before: Option<&String> = None;
            for word in &to.words {
                if !from.words.contains(word) {
                    self.stages.make_enums.push(Step::AddEnumWord {
                        name: to.name.clone(),
                        word: word.clone(),
                        after: before.cloned(),
                        before: from.words.first().filter(|_| before.is_none()).cloned(),
                    });
                }
                before = Some(word);
            }
            return;
        }
        let mut columns = Vec::new();
        let gone = |table: &Table| dropped_tables.iter().any(|one| one.key() == table.key());
        for table in self.from.tables().filter(|table| !gone(table)) {
            for column in table.columns.iter().filter(|column| self.dialect.is_of_enum(&column.ty, &from.name)) {
                let disturbed = self.disturbed.entry(table.key()).or_default();
                disturbed.insert(table.case.item_key(&column.name));
                let after = self.to.table(&table.name).and_then(|after| after.column(&column.name));
                if column.generated.is_none() && !after.is_some_and(|after| self.is_remade(column, after)) {
                    let default =
                        after.filter(|after| after.ty == column.ty).and_then(|after| after.default.as_deref().cloned());
                    columns.push(SwappedColumn { table: table.name.clone(), column: column.clone(), default });
                }
            }
        }
        let mut temporary = match self.dialect.facts().namespaces {
            true => qualified::renamed(&from.name, "oak_old_"),
            false => format!("oak_old_{}", from.name),
        };
        while self.from.enumeration(&temporary).is_some() || self.to.enumeration(&temporary).is_some() {
            temporary.push('_');
        }
        let replaced = self.choices.replaced.get(&to.name).cloned().unwrap_or_default();
        let swap = EnumSwap { from: from.clone(), to: to.clone(), temporary, columns, replaced };
        self.stages.make_enums.push(Step::RemakeEnum(Box::new(swap)));
    }

    pub(super) fn disturb(&mut self, alteration: &TableAlteration) {
        let (table, case) = (alteration.from.key(), alteration.from.case);
        for change in &alteration.items {
            let ItemChange::Column(change) = change else { continue };
            let column = match change {
                Change::Drop(column) => column,
                Change::Alter { from, to } if self.is_remade(from, to) || self.dialect.disturbs(from, to) => to,
                Change::Add(_) | Change::Rename { .. } | Change::Alter { .. } => continue,
            };
            self.disturbed.entry(table.clone()).or_default().insert(case.item_key(&column.name));
        }
        for column in self.dialect.following(&alteration.from, &alteration.to) {
            self.disturbed.entry(table.clone()).or_default().insert(case.item_key(&column.name));
        }
    }

    /// A generated column that reads a disturbed one is made anew, and so disturbed as well.
    pub(super) fn spread_disturbance(&mut self) {
        for table in self.from.tables() {
            while self.disturbed.contains_key(&table.key()) {
                let reads =
                    |column: &&Column| column.generated.as_ref().is_some_and(|one| self.reads(table, &one.expression));
                let calm = table.columns.iter().filter(|column| !self.is_disturbed(table, &column.name));
                let more: Vec<String> = calm.filter(reads).map(|column| table.case.item_key(&column.name)).collect();
                if more.is_empty() {
                    break;
                }
                self.disturbed.entry(table.key()).or_default().extend(more);
            }
        }
    }

    /// Whether a column changes between computed and plain, or is computed in another way or as another type.
    pub(super) fn is_remade(&self, from: &Column, to: &Column) -> bool {
        from.generated != to.generated && !self.dialect.keeps_computed(from, to) || self.dialect.computes_anew(from, to)
    }

    pub(super) fn is_disturbed(&self, table: &Table, column: &str) -> bool {
        self.disturbed.get(&table.key()).is_some_and(|columns| columns.contains(&table.case.item_key(column)))
    }

    /// Whether an expression looks at a disturbed column.
    pub(super) fn reads(&self, table: &Table, expression: &Expression) -> bool {
        let columns = self.disturbed.get(&table.key());
        columns.is_some_and(|columns| columns.iter().any(|column| expression.mentions(column)))
    }

    /// Drops the references that stand in the way of what happens to their columns or to the keys they point to, and
    /// makes those again that stay.
    pub(super) fn references_in_the_way(&mut self, altered: &[TableAlteration], dropped: &[Table]) {
        let order = made_first(self.dialect, dropped.to_vec());
        let position = |name: &str| order.iter().position(|table| table.name == name);
        for table in self.from.tables() {
            let alteration = altered.iter().find(|one| one.from.key() == table.key());
            let after = self.to.table(&table.name);
            for key in &table.foreign_keys {
                let changed = alteration.and_then(|alteration| change_of(alteration, key));
                let is_dropped = after.is_none();
                let in_the_way = if is_dropped {
                    // Tables are dropped after those that reference them; what goes round in a circle is cut.
                    let (own, referenced) = (position(&table.name), position(&key.referenced_table));
                    let is_cut = key.referenced_table != table.name && own.zip(referenced).is_some_and(|(a, b)| b > a);
                    is_cut || self.is_of_renumbered(table, key)
                } else {
                    // One that may point to what is not there outlives its table.
                    position(&key.referenced_table).is_some() || self.reference_is_disturbed(table, key, altered)
                };
                match changed {
                    Some(Change::Drop(_) | Change::Alter { .. }) => self.drop_reference(table, key),
                    Some(Change::Rename { .. }) if !self.dialect.facts().renames_constraints => {
                        self.drop_reference(table, key);
                    }
                    Some(Change::Rename { from, to }) if in_the_way => {
                        self.drop_reference(table, from);
                        self.add_reference(&table.name, to);
                    }
                    Some(Change::Rename { from, to }) => {
                        self.rename(&table.name, Constraint::ForeignKey(from.clone()), to.name.as_deref());
                    }
                    Some(Change::Add(_)) | None if in_the_way => {
                        self.drop_reference(table, key);
                        if let Some(after) = after {
                            let same = after.foreign_keys.iter().find(|one| *one == key);
                            self.add_reference(&after.name, same.unwrap_or(key));
                        }
                    }
                    Some(Change::Add(_)) | None => {}
                }
                if self.dialect.facts().references_need_own_index
                    && let Some(Support::Comes(index)) = alteration.and_then(|one| self.support(one, &key.columns))
                {
                    self.early.entry(table.key()).or_default().insert(index.to_owned());
                }
            }
        }
        for alteration in altered {
            for change in &alteration.items {
                match change {
                    ItemChange::ForeignKey(Change::Add(key) | Change::Alter { to: key, .. }) => {
                        self.add_reference(&alteration.to.name, key);
                    }
                    ItemChange::ForeignKey(Change::Rename { to, .. }) if !self.dialect.facts().renames_constraints => {
                        self.add_reference(&alteration.to.name, to);
                    }
                    _ => {}
                }
            }
        }
    }

    /// What holds a reference meanwhile, see [`support`]. Rows that are declared may want a key to come later.
    fn support<'a>(&self, alteration: &'a TableAlteration, columns: &[String]) -> Option<Support<'a>> {
        let has_rows = || self.has_declared_rows(&alteration.from.key());
        let changes_key = self.key_in_place(alteration).is_some();
        support(alteration, columns, changes_key).filter(|support| matches!(support, Support::Stays) || !has_rows())
    }

    fn reference_is_disturbed(&self, table: &Table, key: &ForeignKey, altered: &[TableAlteration]) -> bool {
        if key.columns.iter().any(|column| self.is_disturbed(table, column)) || self.is_of_renumbered(table, key) {
            return true;
        }
        let index_goes = |alteration: &TableAlteration, columns: &[String]| {
            let covers = |found: Vec<&str>| {
                columns.iter().all(|column| found.iter().any(|name| alteration.from.case.same_item(name, column)))
            };
            alteration.items.iter().any(|change| match change {
                ItemChange::PrimaryKey(Change::Drop(key) | Change::Alter { from: key, .. }) => {
                    let is_held = self.key_in_place(alteration).is_some_and(|(_, new)| begins(&new.columns, columns));
                    !is_held && covers(key.columns.iter().map(|one| one.name.as_str()).collect())
                }
                ItemChange::Unique(Change::Drop(key) | Change::Alter { from: key, .. }) => {
                    covers(key.columns.iter().map(|one| one.name.as_str()).collect())
                }
                ItemChange::Index(Change::Drop(index) | Change::Alter { from: index, .. }) => {
                    covers(column_parts(index))
                }
                _ => false,
            })
        };
        let own = altered.iter().find(|one| one.from.key() == table.key());
        // Each of the two would stand in the other's way.
        let theirs = altered.iter().find(|one| one.from.key() == table.case.table_key(&key.referenced_table));
        let is_kept_otherwise = |one: &TableAlteration| self.dialect.changes_persistence(&one.from, &one.to);
        if own.zip(theirs).is_some_and(|(own, theirs)| {
            own.from.key() != theirs.from.key() && is_kept_otherwise(own) && is_kept_otherwise(theirs)
        }) {
            return true;
        }
        if self.dialect.facts().references_need_own_index
            && own.is_some_and(|one| index_goes(one, &key.columns) && self.support(one, &key.columns).is_none())
        {
            return true;
        }
        let Some(referenced) = self.from.table(&key.referenced_table) else { return false };
        key.referenced_columns.iter().any(|column| self.is_disturbed(referenced, column))
            || altered
                .iter()
                .find(|one| one.from.key() == referenced.key())
                .is_some_and(|one| index_goes(one, &key.referenced_columns))
    }

    /// The columns that begin or stop to number rows, if only for a while, where that matters to references.
    pub(super) fn renumbered(&self, alteration: &TableAlteration) -> Vec<String> {
        let (from, to) = (&alteration.from, &alteration.to);
        if !self.dialect.facts().references_fix_numbering {
            return Vec::new();
        }
        let numbering =
            |table: &Table| table.columns.iter().find(|one| one.identity.is_some()).map(|one| one.name.clone());
        let (old, new) = (numbering(from), numbering(to));
        let stays = old == new && !self.releases_identity(from, to, Some(alteration));
        if stays { Vec::new() } else { old.into_iter().chain(new).collect() }
    }

    /// Whether a reference is about such a column, at either end.
    fn is_of_renumbered(&self, table: &Table, key: &ForeignKey) -> bool {
        let (own, referenced) = (table.key(), self.from.key(&key.referenced_table));
        let case = table.case;
        self.renumbered.iter().any(|(owner, column)| {
            let among = |names: &[String]| names.iter().any(|name| case.same_item(name, column));
            *owner == own && among(&key.columns) || *owner == referenced && among(&key.referenced_columns)
        })
    }

    fn drop_reference(&mut self, table: &Table, key: &ForeignKey) {
        let constraint = Constraint::ForeignKey(key.clone());
        self.stages.drop_references.push(Step::DropConstraint { table: table.name.clone(), constraint });
    }

    fn add_reference(&mut self, table: &str, key: &ForeignKey) {
        let mut key = key.clone();
        // It may have been read from before a rename.
        if let Some(referenced) = self.to.table(&key.referenced_table) {
            key.referenced_table.clone_from(&referenced.name);
        }
        let constraint = Constraint::ForeignKey(key);
        self.stages.add_references.push(Step::AddConstraint { table: table.to_owned(), constraint });
    }

    pub(super) fn rename(&mut self, table: &str, constraint: Constraint, to: Option<&str>) {
        let to = to.unwrap_or_default().to_owned();
        self.stages.rename_constraints.push(Step::RenameConstraint { table: table.to_owned(), constraint, to });
    }
}

/// What happens to a reference of the table, by its name from before.
fn change_of<'a>(alteration: &'a TableAlteration, key: &ForeignKey) -> Option<&'a Change<ForeignKey>> {
    alteration.items.iter().find_map(|item| match item {
        ItemChange::ForeignKey(change) => match change {
            Change::Drop(from) | Change::Alter { from, .. } | Change::Rename { from, .. } if from.name == key.name => {
                Some(change)
            }
            _ => None,
        },
        _ => None,
    })
}
