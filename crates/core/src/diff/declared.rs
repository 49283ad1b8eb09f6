//! Declarations under new names.

use std::collections::{BTreeMap, BTreeSet};

use super::Renames;
use crate::schema::{Fault, ForeignKey, Form, Identifier, KeyPart, Parts, Program, Schema, Table, Type, Value};
use crate::sql::{Expression, Syntax};

impl Renames {
    /// The declarations under new names, wherever one stands and for whichever provider: in keys, references, indexes,
    /// checks, computed columns and rows. SQL of the user's own is left as it is. `found` has the tables of the new names.
    ///
    /// # Errors
    ///
    /// The faults that the new names bring with them: one that is taken already.
    pub fn declared(&self, schema: &Schema, found: &Schema) -> Result<Schema, Vec<Fault>> {
        let mut parts = schema.clone().into_parts();
        let object = |name: &mut Identifier| {
            if let Some(new) = self.tables.get(name.as_str()) {
                *name = table_called(found, new);
            }
        };
        for table in &mut parts.tables {
            self.table(table, object);
        }
        self.namespaces(found, &mut parts);
        for one in &mut parts.enums {
            let words = self.words.get(one.name.as_str());
            rename(&mut one.words, words);
        }
        for program in &mut parts.programs {
            program.table.iter_mut().for_each(object);
            program.after.iter_mut().for_each(object);
            match &mut program.form {
                Some(Form::Exclusion(one)) => object(&mut one.table),
                Some(Form::Grant(grant)) => object(&mut grant.target),
                Some(Form::Domain(_)) | None => {}
            }
        }
        for rows in &mut parts.rows {
            let columns = self.columns_of(rows.table.as_str());
            rename(&mut rows.key, columns);
            rename(&mut rows.columns, columns);
            object(&mut rows.table);
        }
        Schema::new(parts).map(|(schema, _)| schema)
    }

    /// What a table came into may be new itself.
    fn namespaces(&self, found: &Schema, parts: &mut Parts) {
        let new: BTreeSet<&str> = parts.tables.iter().filter_map(|table| table.name.namespace()).collect();
        let is_of = |one: &Program, name: &str| one.word.as_deref() == Some("namespace") && one.name.as_str() == name;
        let missing = new.into_iter().filter(|name| !parts.programs.iter().any(|one| is_of(one, name)));
        let come = missing.filter_map(|name| found.programs().iter().find(|one| is_of(one, name)).cloned());
        let come: Vec<Program> = come.collect();
        parts.programs.extend(come);
    }

    fn table(&self, table: &mut Table, object: impl Fn(&mut Identifier)) {
        let columns = self.columns_of(table.name.as_str());
        object(&mut table.name);
        for ForeignKey { referenced_table, referenced_columns, .. } in &mut table.foreign_keys {
            rename(referenced_columns, self.columns_of(referenced_table.as_str()));
            object(referenced_table);
        }
        let words = |value: &mut Value, ty: &Type| {
            if let (Value::Word(word), Type::Enum(owner)) = (value, ty) {
                rename(std::slice::from_mut(word), self.words.get(owner.as_str()));
            }
        };
        for column in &mut table.columns {
            column.default.iter_mut().for_each(|one| words(&mut one.value, &column.ty));
        }
        let Some(columns) = columns else { return };
        let new_name = |name: &str| {
            let same = columns.get(name);
            same.or_else(|| columns.iter().find(|(old, _)| old.eq_ignore_ascii_case(name)).map(|(_, new)| new))
        };
        let text = |text: &mut String| {
            let read = Expression::read(text, Syntax::PLAIN);
            if read.columns().iter().any(|one| new_name(&one.name).is_some()) {
                let quoted = |name: &String| Identifier::new(&**name).declared();
                *text = read.with_columns(|one| new_name(&one.name).map(quoted)).text().to_owned();
            }
        };
        for column in &mut table.columns {
            rename(std::slice::from_mut(&mut column.name), Some(columns));
            column.generated.iter_mut().for_each(|one| text(&mut one.value.expression));
            let values = column.default.iter_mut().filter_map(|one| match &mut one.value {
                Value::Expression(expression) => Some(expression),
                _ => None,
            });
            values.for_each(text);
        }
        for key in &mut table.primary_keys {
            rename(&mut key.columns, Some(columns));
        }
        for key in &mut table.uniques {
            rename(&mut key.columns, Some(columns));
        }
        for key in &mut table.foreign_keys {
            rename(&mut key.columns, Some(columns));
        }
        table.checks.iter_mut().for_each(|check| text(&mut check.expression));
        for index in &mut table.indexes {
            for part in &mut index.parts {
                match &mut part.key {
                    KeyPart::Column(name) => rename(std::slice::from_mut(name), Some(columns)),
                    KeyPart::Expression(expression) => text(expression),
                }
            }
            rename(&mut index.including, Some(columns));
            index.predicate.iter_mut().for_each(text);
        }
    }
}

/// The name of a table with its namespace, as the schema that has it says it.
pub(crate) fn table_called(found: &Schema, name: &str) -> Identifier {
    found.table(name).map_or_else(|| Identifier::new(name), |table| table.name.clone())
}

fn rename(names: &mut [Identifier], renamed: Option<&BTreeMap<String, String>>) {
    for name in names {
        if let Some(new) = renamed.and_then(|names| names.get(name.as_str())) {
            *name = Identifier::new(&**new);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::{Source, declare, print, resolve};

    #[test]
    fn a_new_name_stands_wherever_the_old_one_stood() {
        let text = "table box {\n    id: int32, primary key\n    code: text(9), unique, default 'x' for sqlite\n    kg: int32, check (kg > 0) for postgres\n    twice: int32, null, generated (kg * 2) except mariadb\n    index (code desc) where (kg is not null) for sqlite\n}\ntable visit {\n    id: int32, primary key\n    box_id: references box\n}\n";
        let schema = resolve(&[Source { name: "a".into(), text: text.to_owned() }]).schema.expect("it is well-formed");
        let names = |pairs: &[(&str, &str)]| {
            pairs.iter().map(|(old, new)| ((*old).to_owned(), (*new).to_owned())).collect::<BTreeMap<_, _>>()
        };
        let renames = Renames {
            tables: names(&[("box", "hive")]),
            columns: BTreeMap::from([("box".to_owned(), names(&[("code", "sign"), ("kg", "Net kg"), ("id", "no")]))]),
            words: BTreeMap::new(),
        };
        let renamed = renames.declared(&schema, &Schema::default()).expect("the new names are free");
        insta::assert_snapshot!(print(&declare(&renamed)), @r#"
        table hive {
            no:        int32
            sign:      text(9), unique, default 'x' for sqlite
            "Net kg":  int32
            twice:     int32, null, generated ("Net kg" * 2) except mariadb

            primary key (no)
            check ("Net kg" > 0), for postgres
            index (sign desc) where ("Net kg" is not null), for sqlite
        }

        table visit {
            id:      int32
            box_id:  int32, references hive(no)

            primary key (id)
        }
        "#);
    }
}
