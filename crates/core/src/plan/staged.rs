//! Plans for a provider that alters everything in place, one thing after the other.
//!
//! What a step would trip over is out of the way before it, and is there again afterwards: references before the keys
//! they need, checks, expressions and generated columns before the columns they read.

use std::collections::{BTreeMap, BTreeSet};

use super::choices::{Choices, Values};
use super::lasting::{Support, begins, column_parts, has_lasting_key, support};
use super::order::made_first;
use super::renaming;
use super::risk::is_ruled;
use super::rows::RowSteps;
use super::step::{Batch, Commented, Constraint, EnumSwap, Step, SwappedColumn};
use crate::Dialect;
use crate::diff::{Change, Changes, ItemChange, TableAlteration, TableChange};
use crate::physical::{
    Column, EnumType, ForeignKey, Index, IndexKey, KeyColumn, PrimaryKey, Schema, Table, Unique, qualified,
};
use crate::sql::Expression;

/// Plans by stages; see [`Stages`] for their order.
pub(super) fn steps(
    dialect: Dialect,
    from: &Schema,
    to: &Schema,
    changes: Changes,
    rows: RowSteps,
    choices: &Choices,
) -> Vec<Step> {
    let stages = Stages { rows, ..Stages::default() };
    let mut planner = Planner {
        dialect,
        from,
        to,
        choices,
        stages,
        disturbed: BTreeMap::new(),
        renumbered: Vec::new(),
        early: BTreeMap::new(),
    };
    let mut created = Vec::new();
    let mut dropped = Vec::new();
    let mut altered = Vec::new();
    for change in changes.tables {
        match change {
            TableChange::Add(table) => created.push(table),
            TableChange::Drop(table) => dropped.push(table),
            TableChange::Alter(alteration) => altered.push(*alteration),
        }
    }
    planner.enums(&changes.enums, &dropped);
    for alteration in &altered {
        planner.disturb(alteration);
    }
    planner.spread_disturbance();
    for alteration in &altered {
        let columns = planner.renumbered(alteration);
        planner.renumbered.extend(columns.into_iter().map(|column| (alteration.from.key(), column)));
    }
    planner.references_in_the_way(&altered, &dropped);
    for table in from.tables() {
        let Some(after) = to.table(&table.name) else { continue };
        let alteration = altered.iter().find(|one| one.from.key() == table.key());
        planner.table(table, after, alteration);
    }
    planner.create(created);
    planner.drop(dropped);
    planner.stages.in_order(dialect)
}

/// Steps by the stage in which they run.
#[derive(Default)]
struct Stages {
    rows: RowSteps,
    drop_references: Vec<Step>,
    release_identities: Vec<Step>,
    drop_tables: Vec<Step>,
    create_first: Vec<Step>,
    drop_indexes: Vec<Step>,
    drop_constraints: Vec<Step>,
    stop_computing: Vec<Step>,
    add_first: Vec<Step>,
    drop_computed: Vec<Step>,
    make_enums: Vec<Step>,
    rename_tables: Vec<Step>,
    rename_columns: Vec<Step>,
    rename_constraints: Vec<Step>,
    set_options: Vec<Step>,
    create_tables: Vec<Step>,
    add_columns: Vec<Step>,
    fill_columns: Vec<Step>,
    alter_columns: Vec<Step>,
    add_computed: Vec<Step>,
    drop_columns: Vec<Step>,
    drop_enums: Vec<Step>,
    add_constraints: Vec<Step>,
    create_indexes: Vec<Step>,
    grant_identities: Vec<Step>,
    add_references: Vec<Step>,
    describe: Vec<Step>,
}

impl Stages {
    fn in_order(self, dialect: Dialect) -> Vec<Step> {
        [
            self.rows.first,
            self.drop_references,
            self.release_identities,
            self.drop_tables,
            self.rows.released,
            // For references that stand on what goes.
            self.create_first,
            self.drop_indexes,
            self.drop_constraints,
            self.stop_computing,
            self.add_first,
            self.drop_computed,
            self.rows.prepared,
            self.make_enums,
            self.rename_tables,
            self.rename_columns,
            renaming::in_turn(dialect, self.rename_constraints),
            // Before the columns, which may follow what their table says.
            self.set_options,
            self.create_tables,
            self.rows.early,
            self.add_columns,
            self.fill_columns,
            self.alter_columns,
            self.add_computed,
            self.drop_columns,
            self.drop_enums,
            self.rows.late,
            self.add_constraints,
            self.create_indexes,
            self.grant_identities,
            self.add_references,
            self.describe,
        ]
        .into_iter()
        .flatten()
        .collect()
    }
}

struct Planner<'a> {
    dialect: Dialect,
    from: &'a Schema,
    to: &'a Schema,
    choices: &'a Choices,
    stages: Stages,
    /// By table, the columns that change in such a way that nothing may look at them meanwhile.
    disturbed: BTreeMap<String, BTreeSet<String>>,
    /// Tables with the columns that begin or stop to number their rows.
    renumbered: Vec<(String, String)>,
    /// By table, the new indexes and unique keys that have to be there before old ones go.
    early: BTreeMap<String, BTreeSet<String>>,
}

impl Planner<'_> {
    // ---- what is in the way -------------------------------------------------------------------------------------

    fn enums(&mut self, changes: &[Change<EnumType>], dropped_tables: &[Table]) {
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
                    let default = after.filter(|after| after.ty == column.ty).and_then(|after| after.default.clone());
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

    fn disturb(&mut self, alteration: &TableAlteration) {
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
    fn spread_disturbance(&mut self) {
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

    /// Whether a column changes between computed and plain, or is computed in another way.
    fn is_remade(&self, from: &Column, to: &Column) -> bool {
        from.generated != to.generated && !self.dialect.keeps_computed(from, to)
    }

    fn is_disturbed(&self, table: &Table, column: &str) -> bool {
        self.disturbed.get(&table.key()).is_some_and(|columns| columns.contains(&table.case.item_key(column)))
    }

    /// Whether an expression looks at a disturbed column.
    fn reads(&self, table: &Table, expression: &Expression) -> bool {
        let columns = self.disturbed.get(&table.key());
        columns.is_some_and(|columns| columns.iter().any(|column| expression.mentions(column)))
    }

    /// Drops the references that stand in the way of what happens to their columns or to the keys they point to, and
    /// makes those again that stay.
    fn references_in_the_way(&mut self, altered: &[TableAlteration], dropped: &[Table]) {
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
                    self.reference_is_disturbed(table, key, altered)
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
                            self.add_reference(&after.name, key);
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
    fn renumbered(&self, alteration: &TableAlteration) -> Vec<String> {
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

    fn rename(&mut self, table: &str, constraint: Constraint, to: Option<&str>) {
        let to = to.unwrap_or_default().to_owned();
        self.stages.rename_constraints.push(Step::RenameConstraint { table: table.to_owned(), constraint, to });
    }

    // ---- one table ----------------------------------------------------------------------------------------------

    fn table(&mut self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) {
        let has_values = to.columns.iter().any(|column| self.choices.values_of(&to.name, &column.name).is_some());
        if alteration.is_none() && !has_values && !self.disturbed.contains_key(&from.key()) {
            return;
        }
        if from.name != to.name {
            let (from, to) = (from.name.clone(), to.name.clone());
            self.stages.rename_tables.push(Step::RenameTable { from, to, by_way_of: None, numbering: Vec::new() });
        }
        if from.options != to.options {
            let (old, new) = (from.options.clone(), to.options.clone());
            self.stages.set_options.push(Step::SetOptions { table: to.name.clone(), from: old, to: new });
        }
        let followed = self.dialect.as_parents_leave(from, to, alteration);
        let (from, alteration) = match &followed {
            Some((from, alteration)) => (from, alteration.as_ref()),
            None => (from, alteration),
        };
        let releases = self.releases_identity(from, to, alteration);
        self.columns(from, to, releases);
        self.constraints(from, to, alteration);
        self.indexes(from, to, alteration);
        if from.comment != to.comment {
            let on = Commented::Table(to.name.clone());
            self.stages.describe.push(Step::SetComment { on, text: to.comment.clone() });
        }
    }

    /// Whether a column stops to number rows while the keys of its table change: it may not do so without a key.
    fn releases_identity(&self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) -> bool {
        let numbering = from.columns.iter().find(|column| column.identity.is_some());
        let Some(column) = numbering.filter(|_| self.dialect.facts().identity_needs_key) else { return false };
        let stays = to.column(&column.name).is_some_and(|after| after.identity.is_some());
        let items = alteration.iter().flat_map(|alteration| &alteration.items);
        let by_index = |item: &ItemChange| {
            matches!(item, ItemChange::Unique(Change::Rename { .. })) && self.dialect.facts().uniques_are_indexes
        };
        let is_key = |item: &ItemChange| matches!(item, ItemChange::PrimaryKey(_) | ItemChange::Unique(_));
        let keys: Vec<&ItemChange> = items.filter(|item| is_key(item) && !by_index(item)).collect();
        let changed = alteration.and_then(|alteration| self.key_in_place(alteration));
        let number = std::slice::from_ref(&column.name);
        let is_held = changed.is_some_and(|(old, new)| {
            let mut keys = std::iter::once(&new.columns).chain(to.uniques.iter().map(|one| &one.columns));
            begins(&old.columns, number) && keys.any(|key| begins(key, number))
        });
        !stays || !keys.is_empty() && !is_held && !has_lasting_key(to, &column.name, &keys)
    }

    fn columns(&mut self, from: &Table, to: &Table, releases: bool) {
        let table = to.name.clone();
        let mut from = from.clone();
        if releases && let Some(numbering) = from.columns.iter_mut().find(|column| column.identity.is_some()) {
            let plain = Column { identity: None, ..numbering.clone() };
            let (old, new) = (Box::new(numbering.clone()), Box::new(plain.clone()));
            let step = Step::AlterColumn { table: from.name.clone(), from: old, to: new, using: None };
            self.stages.release_identities.push(step);
            *numbering = plain;
        }
        let from = &from;
        // Where everything that is there is made anew, something new has to be there before the rest goes.
        let stays = |old: &Column| match to.column(&old.name) {
            Some(new) => !self.is_remade(&Column { name: new.name.clone(), ..old.clone() }, new),
            None => old.generated.is_none(),
        };
        let is_emptied = self.dialect.facts().needs_a_column && !from.columns.iter().any(stays);
        let first =
            to.columns.iter().find(|new| is_emptied && new.generated.is_none() && from.column(&new.name).is_none());
        let following = self.dialect.following(from, to);
        for old in from.columns.iter().filter(|column| to.column(&column.name).is_none()) {
            let step = Step::DropColumn { table: table.clone(), column: old.clone() };
            // Before the columns it reads.
            match old.generated {
                Some(_) => self.drop_computed(from, old),
                None => self.stages.drop_columns.push(step),
            }
        }
        for new in &to.columns {
            let Some(old) = from.column(&new.name) else {
                let before = self.stages.add_columns.len();
                self.add_column(to, new);
                if first.is_some_and(|first| first.name == new.name) {
                    self.stages.add_first.extend(self.stages.add_columns.drain(before..));
                }
                continue;
            };
            let mut renamed = Column { name: new.name.clone(), ..old.clone() };
            let reads_disturbed = old.generated.as_ref().is_some_and(|one| self.reads(from, &one.expression));
            if old.generated.is_some() && new.generated.is_none() && self.dialect.keeps_computed(old, new) {
                // Before what it is computed from is touched.
                let plain = Column { generated: None, ..old.clone() };
                let (table, from) = (from.name.clone(), Box::new(old.clone()));
                let to = Box::new(plain);
                self.stages.stop_computing.push(Step::AlterColumn { table, from, to, using: None });
                renamed.generated = None;
            }
            if self.is_remade(&renamed, new) || (reads_disturbed && new.generated.is_some()) {
                self.drop_computed(from, old);
                self.add_column(to, new);
                continue;
            }
            if old.name != new.name {
                let (from, to) = (old.name.clone(), new.name.clone());
                self.stages.rename_columns.push(Step::RenameColumn {
                    table: table.clone(),
                    from,
                    to,
                    by_way_of: None,
                    numbering: false,
                });
            }
            if let Some(values) = self.choices.values_of(&table, &new.name) {
                self.alter_with_values(to, renamed, new, values);
            } else if renamed != *new {
                self.alter_column(&table, renamed, new);
            } else if let Some(as_it_was) = following.iter().find(|column| column.name == old.name) {
                self.alter_column(&table, as_it_was.clone(), new);
            }
        }
    }

    fn alter_column(&mut self, table: &str, from: Column, to: &Column) {
        let step = |from: Column, to: Column| Step::AlterColumn {
            table: table.to_owned(),
            from: Box::new(from),
            to: Box::new(to),
            using: None,
        };
        // Where it can only number rows once its key is there, that comes last.
        if self.dialect.facts().identity_needs_key && from.identity.is_none() && to.identity.is_some() {
            let plain = Column { identity: None, ..to.clone() };
            if from != plain {
                self.stages.alter_columns.push(step(from, plain.clone()));
            }
            self.stages.grant_identities.push(step(plain, to.clone()));
            return;
        }
        self.stages.alter_columns.push(step(from, to.clone()));
    }

    /// Changes a column whose rows get values on the way.
    fn alter_with_values(&mut self, table: &Table, from: Column, to: &Column, values: &Values) {
        let alter = |from: &Column, to: &Column, using: Option<&str>| Step::AlterColumn {
            table: table.name.clone(),
            from: Box::new(from.clone()),
            to: Box::new(to.clone()),
            using: using.map(str::to_owned),
        };
        let optional = Column { nullable: true, ..to.clone() };
        match values {
            Values::Fill(expression) if from.ty == to.ty => {
                self.stages.fill_columns.push(self.fill(table, &to.name, expression, true));
                if from != *to {
                    self.alter_column(&table.name, from, to);
                }
            }
            Values::Fill(expression) => {
                let filled = self.fill(table, &to.name, expression, true);
                self.stages.alter_columns.extend([alter(&from, &optional, None), filled]);
                self.alter_column(&table.name, optional, to);
            }
            Values::Convert(expression) if from.ty == to.ty => {
                self.stages.fill_columns.push(self.fill(table, &to.name, expression, false));
                if from != *to {
                    self.alter_column(&table.name, from, to);
                }
            }
            Values::Convert(expression) if self.dialect.facts().converts_in_place => {
                self.stages.alter_columns.push(alter(&from, to, Some(expression)));
            }
            Values::Convert(expression) if self.dialect.holding_both(&from.ty, &to.ty).is_some() => {
                let ty = self.dialect.holding_both(&from.ty, &to.ty).unwrap_or(to.ty.clone());
                let both = Column { ty, ..from.clone() };
                self.stages.alter_columns.extend([
                    alter(&from, &both, None),
                    self.fill(table, &to.name, expression, false),
                    alter(&both, to, Some(expression)),
                ]);
            }
            Values::Convert(expression) => {
                // The new values wait in a column of their own while this one is emptied and gets its new type: so keys
                // and indexes stay on it, and nothing depends on what the server makes of the old values.
                let aside = Column { default: None, comment: None, ..optional.clone() };
                let mut aside = Column { attributes: Default::default(), ..aside };
                aside.name = format!("oak_new_{}", to.name);
                while table.column(&aside.name).is_some() {
                    aside.name.push('_');
                }
                let emptied = Column { nullable: true, default: None, ..from.clone() };
                let retyped = Column { default: None, ..optional };
                let name = self.dialect.quote(&aside.name);
                let fills = [(&aside.name, expression.as_str()), (&to.name, "null"), (&to.name, &name)]
                    .map(|(column, value)| self.fill(table, column, value, false));
                let [into_aside, emptying, back] = fills;
                let steps = &mut self.stages.alter_columns;
                steps.push(Step::AddColumn {
                    table: table.name.clone(),
                    column: aside.clone(),
                    checks: Vec::new(),
                    foreign_keys: Vec::new(),
                    key: None,
                });
                steps.push(into_aside);
                if from != emptied {
                    steps.push(alter(&from, &emptied, None));
                }
                steps.push(emptying);
                steps.push(alter(&emptied, &retyped, Some(expression)));
                steps.push(back);
                if retyped != *to {
                    steps.push(alter(&retyped, to, None));
                }
                steps.push(Step::DropColumn { table: table.name.clone(), column: aside });
            }
        }
    }

    /// A step that gives rows of a table values.
    fn fill(&self, table: &Table, column: &str, expression: &str, only_missing: bool) -> Step {
        let moves = |other: &&Column| other.attributes.iter().any(|one| one.starts_with("on update"));
        let untouched = table.columns.iter().filter(|other| other.name != column).filter(moves);
        let key = table.primary_key.iter().flat_map(|key| &key.columns);
        let key: Vec<Column> = key.filter_map(|part| table.column(&part.name).cloned()).collect();
        let batch = self.choices.batch.filter(|_| only_missing && !key.is_empty());
        Step::FillColumn {
            table: table.name.clone(),
            column: column.to_owned(),
            expression: expression.to_owned(),
            only_missing,
            untouched: untouched.map(|other| other.name.clone()).collect(),
            constrained: self.is_ruled(table, column),
            batch: batch.map(|rows| Batch { rows, key }),
        }
    }

    /// Whether a key, reference or check may look at a column while it gets values.
    fn is_ruled(&self, table: &Table, column: &str) -> bool {
        let refers = |key: &ForeignKey| {
            let is = |name: &String| table.case.same_item(name, column);
            self.to.key(&key.referenced_table) == table.key() && key.referenced_columns.iter().any(is)
        };
        is_ruled(table, column) || self.to.tables().flat_map(|other| &other.foreign_keys).any(refers)
    }

    /// Drops a column that is made anew, by the names from before; those that read it first.
    fn drop_computed(&mut self, table: &Table, column: &Column) {
        let step = Step::DropColumn { table: table.name.clone(), column: column.clone() };
        let reader = |other: &Step| match other {
            Step::DropColumn { table: owner, column: other } => {
                *owner == table.name
                    && other.generated.as_ref().is_some_and(|one| one.expression.mentions(&column.name))
            }
            _ => false,
        };
        let mentioned = |other: &Step| match (other, &column.generated) {
            (Step::DropColumn { table: owner, column: other }, Some(one)) => {
                *owner == table.name && one.expression.mentions(&other.name)
            }
            _ => false,
        };
        let drops = &mut self.stages.drop_computed;
        let after_readers = drops.iter().rposition(reader).map_or(0, |at| at + 1);
        let before_read = drops.iter().position(mentioned).unwrap_or(drops.len());
        drops.insert(before_read.max(after_readers).min(drops.len()), step);
    }

    fn add_column(&mut self, table: &Table, column: &Column) {
        let facts = self.dialect.facts();
        let key = self.key_of_identity(table, column);
        let mut step = Step::AddColumn {
            table: table.name.clone(),
            column: column.clone(),
            checks: Vec::new(),
            foreign_keys: Vec::new(),
            key,
        };
        let is_filled = column.nullable || column.default.is_some() || column.generated.is_some();
        let values = self.choices.values_of(&table.name, &column.name).filter(|_| column.generated.is_none());
        let apart = || column.default.as_ref().filter(|default| self.dialect.fills_apart(default));
        let filling = values.map(Values::expression).or_else(|| apart().map(Expression::text));
        if let Some(expression) = filling {
            // First without a default, which would fill old rows as well.
            let optional = Column { nullable: true, default: None, ..column.clone() };
            if let Step::AddColumn { column, .. } = &mut step {
                *column = optional.clone();
            }
            self.stages.fill_columns.push(self.fill(table, &column.name, expression, true));
            if optional != *column {
                self.alter_column(&table.name, optional, column);
            }
        } else if facts.fills_silently && !is_filled && column.identity.is_none() {
            // First without a value, then required: where rows are there, the second step is refused, instead of the
            // server making up values.
            let optional = Column { nullable: true, ..column.clone() };
            if let Step::AddColumn { column, .. } = &mut step {
                *column = optional.clone();
            }
            self.alter_column(&table.name, optional, column);
        }
        match &column.generated {
            None => self.stages.add_columns.push(step),
            Some(generated) => {
                // Behind the generated columns that it reads.
                let adds = &mut self.stages.add_computed;
                let reads_new = |other: &Step| match other {
                    Step::AddColumn { table: owner, column: new, .. } => {
                        *owner == table.name
                            && new.generated.as_ref().is_some_and(|one| one.expression.mentions(&column.name))
                    }
                    _ => false,
                };
                debug_assert!(!generated.expression.mentions(&column.name), "circles are refused");
                let at = adds.iter().position(reads_new).unwrap_or(adds.len());
                adds.insert(at, step);
            }
        }
    }

    /// The key that a new column which numbers rows has to come with.
    fn key_of_identity(&self, table: &Table, column: &Column) -> Option<Constraint> {
        if !self.dialect.facts().identity_needs_key || column.identity.is_none() {
            return None;
        }
        let begins = |columns: &[KeyColumn]| columns.first().is_some_and(|first| first.name == column.name);
        let primary = table.primary_key.as_ref().filter(|key| begins(&key.columns));
        let unique = table.uniques.iter().find(|key| begins(&key.columns));
        primary.map(|key| Constraint::PrimaryKey(key.clone())).or(unique.map(|key| Constraint::Unique(key.clone())))
    }

    fn constraints(&mut self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) {
        let items = || alteration.iter().flat_map(|alteration| &alteration.items);
        let keys = items().filter_map(|item| match item {
            ItemChange::PrimaryKey(change) => Some(change.clone()),
            _ => None,
        });
        let uniques = items().filter_map(|item| match item {
            ItemChange::Unique(change) => Some(change.clone()),
            _ => None,
        });
        let checks = items().filter_map(|item| match item {
            ItemChange::Check(change) => Some(change.clone()),
            _ => None,
        });
        let (keys, uniques, checks): (Vec<_>, Vec<_>, Vec<_>) = (keys.collect(), uniques.collect(), checks.collect());
        let changed = alteration.and_then(|alteration| self.key_in_place(alteration));
        if changed.is_none() {
            let lists = (from.primary_key.as_slice(), to.primary_key.as_slice());
            self.constraint_list([from, to], lists, keys, Constraint::PrimaryKey, |this, key| {
                this.must_remake_key(from, to, &key.columns)
            });
        }
        let lists = (from.uniques.as_slice(), to.uniques.as_slice());
        self.constraint_list([from, to], lists, uniques, Constraint::Unique, |this, key| {
            this.must_remake_key(from, to, &key.columns)
        });
        // Behind a unique key that a column goes on to number rows by.
        if let Some((old, new)) = changed {
            let (table, from, to) = (to.name.clone(), old.clone(), new.clone());
            self.stages.add_constraints.push(Step::ChangePrimaryKey { table, from, to });
        }
        let lists = (from.checks.as_slice(), to.checks.as_slice());
        self.constraint_list([from, to], lists, checks, Constraint::Check, |this, check| {
            this.check_is_in_the_way(from, to, &check.expression)
        });
    }

    /// Whether a check has to go while the columns that it reads change: rows may have other values on the way.
    fn check_is_in_the_way(&self, from: &Table, to: &Table, expression: &Expression) -> bool {
        let passes = |column: &Column| {
            let after = to.column(&column.name);
            after.is_none()
                || self.column_is_made_again(from, to, &column.name)
                || after.is_some_and(|after| self.choices.values_of(&to.name, &after.name).is_some())
        };
        self.reads(from, expression)
            && (!self.dialect.facts().checks_follow_types
                || from.columns.iter().any(|column| expression.mentions(&column.name) && passes(column)))
    }

    /// A primary key, and the one that takes its place in one statement once the columns are as they are to be: its own
    /// stay as they are until then.
    fn key_in_place<'a>(&self, alteration: &'a TableAlteration) -> Option<(&'a PrimaryKey, &'a PrimaryKey)> {
        let (from, to) = (&alteration.from, &alteration.to);
        let (old, new) = alteration.items.iter().find_map(|item| match item {
            ItemChange::PrimaryKey(Change::Alter { from, to }) => Some((from, to)),
            _ => None,
        })?;
        let stays = |part: &KeyColumn| {
            from.column(&part.name) == to.column(&part.name) && self.choices.values_of(&to.name, &part.name).is_none()
        };
        // A column that numbers rows comes with its key.
        let numbers = |part: &KeyColumn| {
            from.column(&part.name).is_none() && to.column(&part.name).is_some_and(|new| new.identity.is_some())
        };
        let can = self.dialect.facts().changes_primary_keys
            && from.name == to.name
            && old.columns.iter().all(stays)
            && !new.columns.iter().any(|part| numbers(part) || self.column_is_made_again(from, to, &part.name))
            && !self.has_declared_rows(&from.key());
        can.then_some((old, new))
    }

    /// Whether a table has rows that are declared: they may want a key to go first, and another to come last.
    fn has_declared_rows(&self, table: &str) -> bool {
        [self.from, self.to].iter().any(|schema| schema.row_sets().any(|set| schema.key(&set.table) == table))
    }

    /// Whether a key does not simply follow its columns: one of them is dropped and made again.
    fn must_remake_key(&self, from: &Table, to: &Table, columns: &[KeyColumn]) -> bool {
        columns.iter().any(|part| self.column_is_made_again(from, to, &part.name))
    }

    fn column_is_made_again(&self, from: &Table, to: &Table, name: &str) -> bool {
        let (Some(old), Some(new)) = (from.column(name), to.column(name)) else { return false };
        let renamed = Column { name: new.name.clone(), ..old.clone() };
        let reads_disturbed = old.generated.as_ref().is_some_and(|one| self.reads(from, &one.expression));
        self.is_remade(&renamed, new) || (reads_disturbed && new.generated.is_some())
    }

    /// Drops, adds and renames what differs, and makes again what is in the way.
    fn constraint_list<T: crate::physical::Named>(
        &mut self,
        [from, to]: [&Table; 2],
        (old, new): (&[T], &[T]),
        changes: Vec<Change<T>>,
        constraint: fn(T) -> Constraint,
        in_the_way: impl Fn(&Self, &T) -> bool,
    ) {
        let mut touched: Vec<T> = Vec::new();
        for change in changes {
            match change {
                Change::Add(one) => self.add_constraint(&to.name, constraint(one)),
                Change::Drop(one) => {
                    self.drop_constraint(&from.name, constraint(one.clone()));
                    touched.push(one);
                }
                Change::Alter { from: a, to: b } => {
                    self.drop_constraint(&from.name, constraint(a.clone()));
                    self.add_constraint(&to.name, constraint(b));
                    touched.push(a);
                }
                Change::Rename { from: a, to: b } => {
                    let facts = self.dialect.facts();
                    let by_index = facts.uniques_are_indexes.then(|| match constraint(a.clone()) {
                        Constraint::Unique(unique) => unique.name.zip(b.name().map(str::to_owned)),
                        _ => None,
                    });
                    if let Some((old, new)) = by_index.flatten()
                        && !in_the_way(self, &a)
                    {
                        let step = Step::RenameIndex { table: to.name.clone(), from: old, to: new };
                        self.stages.rename_constraints.push(step);
                        touched.push(a);
                        continue;
                    }
                    let remake = !facts.renames_constraints || in_the_way(self, &a);
                    if remake {
                        self.drop_constraint(&from.name, constraint(a.clone()));
                        self.add_constraint(&to.name, constraint(b));
                    } else {
                        self.rename(&to.name, constraint(a.clone()), b.name());
                    }
                    touched.push(a);
                }
            }
        }
        let is_touched = |one: &T| touched.iter().any(|other| other.name() == one.name());
        for one in old.iter().filter(|one| !is_touched(one)) {
            if !in_the_way(self, one) {
                continue;
            }
            let Some(same) = new.iter().find(|other| other.name() == one.name()) else { continue };
            self.drop_constraint(&from.name, constraint(one.clone()));
            self.add_constraint(&to.name, constraint(same.clone()));
        }
    }

    fn add_constraint(&mut self, table: &str, constraint: Constraint) {
        let comes_along = |step: &Step| match step {
            Step::AddColumn { table: owner, key: Some(key), .. } => owner == table && *key == constraint,
            _ => false,
        };
        if self.stages.add_columns.iter().any(comes_along) {
            return;
        }
        let is_early = match &constraint {
            Constraint::Unique(Unique { name: Some(name), .. }) => self.is_early(&self.to.key(table), name),
            _ => false,
        };
        let stage = if is_early { &mut self.stages.create_first } else { &mut self.stages.add_constraints };
        stage.push(Step::AddConstraint { table: table.to_owned(), constraint });
    }

    /// Whether a new index or unique key has to be there before old ones go.
    fn is_early(&self, table: &str, name: &str) -> bool {
        self.early.get(table).is_some_and(|names| names.contains(name))
    }

    fn drop_constraint(&mut self, table: &str, constraint: Constraint) {
        self.stages.drop_constraints.push(Step::DropConstraint { table: table.to_owned(), constraint });
    }

    fn indexes(&mut self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) {
        let mut touched = BTreeSet::new();
        for change in alteration.iter().flat_map(|alteration| &alteration.items) {
            let ItemChange::Index(change) = change else { continue };
            match change {
                Change::Add(index) => self.create_index(to, index),
                Change::Drop(index) => {
                    touched.insert(index.name.clone());
                    self.drop_index(from, index);
                }
                Change::Alter { from: a, to: b } => {
                    touched.insert(a.name.clone());
                    self.drop_index(from, a);
                    self.create_index(to, b);
                }
                Change::Rename { from: a, to: b } => {
                    touched.insert(a.name.clone());
                    if self.index_is_in_the_way(from, to, a) || !self.dialect.facts().renames_indexes {
                        self.drop_index(from, a);
                        self.create_index(to, b);
                    } else {
                        let (old, new) = (a.name.clone(), b.name.clone());
                        let step = Step::RenameIndex { table: to.name.clone(), from: old, to: new };
                        self.stages.rename_constraints.push(step);
                    }
                }
            }
        }
        for index in from.indexes.iter().filter(|index| !touched.contains(&index.name)) {
            if self.index_is_in_the_way(from, to, index)
                && let Some(same) = to.indexes.iter().find(|other| to.case.same_item(&other.name, &index.name))
            {
                self.drop_index(from, index);
                self.create_index(to, same);
            }
        }
    }

    fn index_is_in_the_way(&self, from: &Table, to: &Table, index: &Index) -> bool {
        let part = |part: &crate::physical::IndexPart| match &part.key {
            IndexKey::Expression(expression) => self.reads(from, expression),
            IndexKey::Column(name) => {
                self.column_is_made_again(from, to, name) || (part.operators.is_some() && self.is_disturbed(from, name))
            }
        };
        index.parts.iter().any(part)
            || index.predicate.as_ref().is_some_and(|one| self.reads(from, one))
            || index.including.iter().any(|name| self.column_is_made_again(from, to, name))
    }

    fn create_index(&mut self, table: &Table, index: &Index) {
        let is_early = self.is_early(&table.key(), &index.name);
        let (table, index) = (table.name.clone(), index.clone());
        let stage = if is_early { &mut self.stages.create_first } else { &mut self.stages.create_indexes };
        stage.push(Step::CreateIndex { table, index });
    }

    fn drop_index(&mut self, table: &Table, index: &Index) {
        let (table, index) = (table.name.clone(), index.clone());
        self.stages.drop_indexes.push(Step::DropIndex { table, index });
    }

    // ---- whole tables -------------------------------------------------------------------------------------------

    /// References to tables that come later, or to keys that are only made in this plan, are added at the end.
    fn create(&mut self, tables: Vec<Table>) {
        let mut made: BTreeSet<String> = BTreeSet::new();
        for mut table in made_first(self.dialect, tables) {
            made.insert(table.key());
            let (now, later): (Vec<_>, Vec<_>) = std::mem::take(&mut table.foreign_keys).into_iter().partition(|key| {
                let referenced = self.to.key(&key.referenced_table);
                // Rows that come back may reference each other, and some servers look at them one by one.
                let restored = self.choices.restored.iter().any(|kept| kept.table == table.name);
                !restored && (made.contains(&referenced) || self.is_untouched(&referenced))
            });
            for key in later {
                let constraint = Constraint::ForeignKey(key);
                self.stages.add_references.push(Step::AddConstraint { table: table.name.clone(), constraint });
            }
            if !self.dialect.facts().tables_hold_indexes {
                for index in std::mem::take(&mut table.indexes) {
                    let table = table.name.clone();
                    self.stages.create_indexes.push(Step::CreateIndex { table, index });
                }
                // A key made by an index is not there yet when the table is.
                let by_index = |key: &ForeignKey| !self.is_plain_key(key);
                let (late, now): (Vec<_>, Vec<_>) = now.into_iter().partition(by_index);
                table.foreign_keys = now;
                for key in late {
                    let constraint = Constraint::ForeignKey(key);
                    self.stages.add_references.push(Step::AddConstraint { table: table.name.clone(), constraint });
                }
            } else {
                table.foreign_keys = now;
            }
            self.stages.create_tables.push(Step::CreateTable(table));
        }
    }

    fn is_untouched(&self, key: &str) -> bool {
        let same = self.from.tables().find(|table| table.key() == key);
        same.is_some_and(|table| self.to.table(&table.name) == Some(table) && !self.disturbed.contains_key(key))
    }

    /// Whether a reference points to a primary key or unique constraint, and not to a unique index.
    fn is_plain_key(&self, key: &ForeignKey) -> bool {
        let Some(table) = self.to.table(&key.referenced_table) else { return false };
        let same = |columns: &[KeyColumn]| {
            columns.len() == key.referenced_columns.len()
                && columns.iter().all(|column| key.referenced_columns.contains(&column.name))
        };
        table.primary_key.as_ref().is_some_and(|one| same(&one.columns))
            || table.uniques.iter().any(|one| same(&one.columns))
    }

    fn drop(&mut self, tables: Vec<Table>) {
        let mut ordered = made_first(self.dialect, tables);
        ordered.reverse();
        self.stages.drop_tables.extend(ordered.into_iter().map(Step::DropTable));
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
