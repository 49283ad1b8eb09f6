//! Indexes of partitioned tables in a file, and what is attached to them.

use super::Reader;
use crate::dialect::postgres::catalogue::OtherRow;
use crate::dialect::postgres::quote::quote_object;
use crate::physical::{ObjectKind, qualified};

impl Reader {
    /// Where an index of a part is among what has been made, or the key that it belongs to.
    fn index_of_part(&self, index: &str) -> Option<usize> {
        let is_it = |row: &OtherRow| match row.kind {
            ObjectKind::ViewIndex => row.name == index,
            ObjectKind::Constraint => row
                .name
                .split_once(" on ")
                .is_some_and(|(name, table)| self.is_partition(table) && qualified::base(index) == name),
            _ => false,
        };
        self.catalogue.others.iter().position(is_it)
    }

    /// What became parts of an index, and of those, level by level, and each level by its names, as the catalogue is read:
    /// each with what it became a part of.
    fn members(&self, index: &str) -> Vec<(String, String)> {
        let mut members: Vec<(String, String)> = Vec::new();
        let mut level = vec![index.to_owned()];
        // Nothing is a part of itself, but that it is can be written.
        while !level.is_empty() && members.len() < self.attached.len() {
            let mut found: Vec<_> = self.attached.iter().filter(|(whole, _)| level.contains(whole)).cloned().collect();
            found.sort_by(|(_, one), (_, other)| qualified::base(one).cmp(qualified::base(other)));
            level = found.iter().map(|(_, part)| part.clone()).collect();
            members.extend(found);
        }
        members
    }

    /// Whether every part of a table, and of its parts, has one among these members of the index.
    fn all_have(&self, table: &str, members: &[(String, String)]) -> bool {
        let rows: Vec<&OtherRow> =
            members.iter().filter_map(|(_, part)| Some(&self.catalogue.others[self.index_of_part(part)?])).collect();
        let is_below = |row: &&OtherRow| {
            row.kind == ObjectKind::Partition && self.above(&row.name).iter().any(|above| above == table)
        };
        let mut below = self.catalogue.others.iter().filter(is_below);
        below.all(|part| rows.iter().any(|row| row.kind == ObjectKind::ViewIndex && row.after.contains(&part.name)))
    }

    /// What `alter index … attach partition …` made of indexes.
    pub(super) fn indexes_alone(&mut self) {
        let made_alone = |row: &OtherRow| {
            let words: Vec<String> = row.sql.split_whitespace().take(10).map(str::to_ascii_lowercase).collect();
            row.kind == ObjectKind::ViewIndex
                && words.windows(2).any(|two| two == ["on", "only"])
                && !self.attached.iter().any(|(_, part)| *part == row.name)
        };
        let of_parts = self.catalogue.others.iter().filter(|row| made_alone(row));
        let of_parts: Vec<(String, String)> = of_parts.map(|row| (row.name.clone(), row.sql.clone())).collect();
        for (name, sql) in std::mem::take(&mut self.alone).into_iter().chain(of_parts) {
            self.settle_index(name, &sql);
        }
        // Parts of a key are the key's.
        for (_, part) in std::mem::take(&mut self.attached) {
            let at = self.index_of_part(&part);
            at.map(|at| self.catalogue.others.remove(at));
        }
    }

    /// An index of a table that all its parts have, each by an index that is nothing else, is simply one of the table;
    /// otherwise it is what it is made as, and so is one of a part.
    fn settle_index(&mut self, name: String, sql: &str) {
        let of_table = self.index(&name);
        let table = match (of_table, self.index_of_part(&name)) {
            (Some(at), _) => self.table_name(self.catalogue.indexes[at].table),
            (_, Some(at)) => self.catalogue.others[at].after.first().cloned().unwrap_or_default(),
            _ => return,
        };
        let members = self.members(&name);
        let is_whole = of_table.is_some() && self.all_have(&table, &members);
        if members.is_empty() && (is_whole || of_table.is_none()) {
            return;
        }
        let statement = |sql: &str| sql.trim_end().trim_end_matches(';').to_owned();
        let (mut made, mut drop) = (vec![statement(sql)], vec![format!("drop index {}", quote_object(&name))]);
        let mut after = vec![table.clone()];
        for (whole, part) in &members {
            let Some(at) = self.index_of_part(part) else { continue };
            let row = self.catalogue.others[at].clone();
            after.extend(row.after);
            if row.kind == ObjectKind::Constraint {
                // It goes with the index.
                drop[0] = format!("drop index {} cascade", quote_object(&name));
                drop.push(statement(&row.sql));
                after.push(row.name);
            } else {
                made.push(statement(&row.sql));
                self.catalogue.others.remove(at);
            }
            made.push(format!("alter index {} attach partition {}", quote_object(whole), quote_object(part)));
        }
        self.attached.retain(|pair| !members.contains(pair));
        if is_whole {
            return;
        }
        if let Some(at) = self.index(&name) {
            self.catalogue.indexes.remove(at);
        } else if let Some(at) = self.index_of_part(&name) {
            self.catalogue.others.remove(at);
        }
        self.of_partition(ObjectKind::ViewIndex, name, made.join(";\n"), drop.join(";\n"), &table);
        if let Some(row) = self.catalogue.others.last_mut() {
            row.after = after;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::postgres::SYNTAX;
    use crate::dialect::reading::Statements;
    use crate::sql::Cursor;

    fn read(statements: &[&str]) -> Reader {
        let mut reader = Reader::default();
        for sql in statements {
            assert!(reader.statement(&mut Cursor::new(sql, SYNTAX), sql).is_ok(), "{sql}");
        }
        reader.indexes_alone();
        reader
    }

    const TAGS: [&str; 6] = [
        "create table tag (id int, kind int) partition by list (kind)",
        "create table tag_1 partition of tag for values in (1)",
        "create table tag_2 partition of tag for values in (2)",
        "create index tag_id on only tag (id)",
        "create index tag_1_id on tag_1 (id)",
        "alter index tag_id attach partition tag_1_id",
    ];

    fn objects(reader: &Reader) -> Vec<&OtherRow> {
        reader.catalogue.others.iter().filter(|row| row.kind == ObjectKind::ViewIndex).collect()
    }

    #[test]
    fn an_index_that_one_part_lacks_is_what_it_is_made_as() {
        let reader = read(&TAGS);
        assert!(reader.catalogue.indexes.is_empty());
        let [made] = objects(&reader)[..] else { panic!("one object") };
        assert_eq!(
            made.sql,
            "create index tag_id on only tag (id);\ncreate index tag_1_id on tag_1 (id);\nalter index tag_id attach partition tag_1_id"
        );
        assert_eq!(made.after, ["tag", "tag_1"]);
    }

    #[test]
    fn what_is_attached_is_told_by_its_names() {
        let more = [
            "create table tag_3 partition of tag for values in (3)",
            "create index a_tag_2 on tag_2 (id)",
            "alter index tag_id attach partition a_tag_2",
        ];
        let reader = read(&[&TAGS[..], &more].concat());
        let [made] = objects(&reader)[..] else { panic!("one object") };
        let attached: Vec<&str> = made.sql.lines().filter(|line| line.contains("attach")).collect();
        assert_eq!(
            attached,
            ["alter index tag_id attach partition a_tag_2;", "alter index tag_id attach partition tag_1_id"]
        );
    }

    #[test]
    fn a_column_in_a_key_of_the_part_needs_no_word() {
        let more = [
            "create table tag_4 (id int not null, kind int not null)",
            "alter table only tag attach partition tag_4 for values in (4)",
            "alter table only tag_4 add constraint tag_4_pkey primary key (id)",
        ];
        let mut reader = read(&[&TAGS[..], &more].concat());
        reader.settle_parts();
        let settings = reader.catalogue.others.iter().filter(|row| row.kind == ObjectKind::ColumnSetting);
        assert_eq!(settings.map(|row| row.name.as_str()).collect::<Vec<_>>(), ["tag_4.kind not null"]);
    }

    #[test]
    fn an_index_that_all_parts_have_is_one_of_the_table() {
        let more = ["create index tag_2_id on tag_2 (id)", "alter index tag_id attach partition tag_2_id"];
        let reader = read(&[&TAGS[..], &more].concat());
        assert_eq!(reader.catalogue.indexes.len(), 1);
        assert!(objects(&reader).is_empty());
    }

    #[test]
    fn a_key_of_a_part_goes_with_the_index_and_comes_back() {
        let more = [
            "alter table tag_2 add constraint tag_2_key primary key (id)",
            "alter index tag_id attach partition tag_2_key",
        ];
        let reader = read(&[&TAGS[..], &more].concat());
        let [made] = objects(&reader)[..] else { panic!("one object") };
        assert_eq!(
            made.drop,
            "drop index tag_id cascade;\nalter table tag_2 add constraint tag_2_key primary key (id)"
        );
    }

    #[test]
    fn what_is_said_to_be_a_part_of_itself_comes_to_an_end() {
        let more = ["alter index tag_1_id attach partition tag_1_id", "alter index tag_1_id attach partition tag_id"];
        let reader = read(&[&TAGS[..], &more].concat());
        assert_eq!(reader.above("tag_1"), ["tag"]);
    }
}
