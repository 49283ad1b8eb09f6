//! What MySQL wants in another way than MariaDB.

use std::collections::BTreeMap;

use hollow_oak_core::diff::Renames;
use hollow_oak_core::language::{Source, resolve};
use hollow_oak_core::physical::Schema;
use hollow_oak_core::plan::{Choices, plan};
use hollow_oak_core::{Dialect, Provider};

fn dialect() -> Dialect {
    Dialect::of(Provider::Mysql).expect("it has a dialect")
}

fn schema(text: &str) -> Schema {
    let resolution = resolve(&[Source { name: "a.oak".into(), text: text.to_owned() }]);
    let schema = resolution.schema.unwrap_or_else(|| panic!("{:?}", resolution.diagnostics));
    dialect().lower(&schema).expect("it can be stored").schema
}

/// The statements between two declarations; columns of `hive` have new names.
fn statements(from: &str, to: &str, renamed: &[(&str, &str)]) -> Vec<String> {
    let columns: BTreeMap<_, _> = renamed.iter().map(|(old, new)| ((*old).to_owned(), (*new).to_owned())).collect();
    let columns = BTreeMap::from([("hive".to_owned(), columns)]);
    let choices = Choices { renames: Renames { columns, ..Renames::default() }, ..Choices::default() };
    let plan = plan(dialect(), &schema(from), &schema(to), &choices);
    let sql = plan.steps.iter().flat_map(|step| dialect().render(&step.step));
    sql.map(|sql| sql.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

#[test]
fn what_reads_a_column_gets_its_new_name_in_the_same_statement() {
    let hive = |kg: &str| {
        format!(
            "table hive {{\n    id: int64\n    {kg}: decimal(6, 2)\n    net: decimal(6, 2), null, generated ({kg} - 1)\n    \
             primary key (id)\n    check ({kg} > 1)\n    index by_net ((abs({kg})))\n}}\n"
        )
    };
    assert_eq!(
        statements(&hive("kg"), &hive("gross"), &[("kg", "gross")]),
        ["alter table hive rename column kg to gross, drop check hive_kg_check, \
          add constraint hive_gross_check check (gross > 1), \
          modify column net decimal(6,2) generated always as (gross - 1) stored, drop index by_net, \
          add key by_net ((abs(gross)))"]
    );
}

/// A column of a reference is renamed in place, and a check over a moment would have the table copied.
#[test]
fn what_would_copy_the_table_is_away_while_a_column_of_a_reference_is_renamed() {
    let hive = |keeper: &str| {
        format!(
            "table keeper {{\n    id: int64\n    primary key (id)\n}}\ntable hive {{\n    id: int64\n    {keeper}: references keeper\n    \
             made: date\n    kg: int32\n    primary key (id)\n    check young (made > '2020-01-01')\n    check light (kg < 100)\n}}\n"
        )
    };
    assert_eq!(
        statements(&hive("keeper_id"), &hive("owner_id"), &[("keeper_id", "owner_id")]),
        [
            "alter table hive drop check young",
            "alter table hive rename column keeper_id to owner_id",
            "alter table hive drop foreign key hive_keeper_id_fkey",
            "alter table hive rename index hive_keeper_id_fkey to hive_owner_id_fkey",
            "alter table hive add constraint young check (made > '2020-01-01'), \
             add constraint hive_owner_id_fkey foreign key (owner_id) references keeper (id)",
        ]
    );
}

/// A column that goes, and another one that gets its name in other letters.
#[test]
fn letters_of_a_name_are_nobody_elses() {
    let hive = |columns: &str| format!("table hive {{\n    id: int64\n{columns}    primary key (id)\n}}\n");
    assert_eq!(
        statements(&hive("    code: int32\n    \"KG\": int32\n"), &hive("    kg: int32\n"), &[("code", "kg")]),
        [
            "alter table hive rename column `KG` to oak_rename_kg",
            "alter table hive rename column code to kg",
            "alter table hive drop column oak_rename_kg"
        ]
    );
    assert_eq!(
        statements(&hive("    code: int32\n"), &hive("    \"CODE\": int32\n"), &[]),
        [
            "alter table hive rename column code to oak_rename_code",
            "alter table hive rename column oak_rename_code to `CODE`"
        ]
    );
}

#[test]
fn a_column_of_a_reference_begins_to_number_rows_without_it() {
    let keeper = |numbers: &str| {
        format!(
            "table keeper {{\n    id: int64{numbers}\n    primary key (id)\n}}\ntable hive {{\n    id: int64\n    \
             keeper_id: references keeper\n    primary key (id)\n}}\n"
        )
    };
    let made = statements(&keeper(""), &keeper(", identity"), &[]);
    let place =
        |part: &str| made.iter().position(|sql| sql.contains(part)).unwrap_or_else(|| panic!("{part}: {made:#?}"));
    assert!(place("drop foreign key hive_keeper_id_fkey") < place("modify column id bigint not null auto_increment"));
    assert!(place("auto_increment") < place("add constraint hive_keeper_id_fkey"));
}

#[test]
fn a_default_that_differs_each_time_is_filled_in_apart() {
    let hive = |more: &str| format!("table hive {{\n    id: int64\n{more}    primary key (id)\n}}\n");
    assert_eq!(
        statements(&hive(""), &hive("    token: uuid, default new uuid\n"), &[]),
        [
            "alter table hive add column token char(36) null",
            "update hive set token = (uuid()) where token is null",
            "alter table hive modify column token char(36) not null default (uuid())"
        ]
    );
}

#[test]
fn checks_of_a_database_have_names_of_their_own() {
    let text = "table hive {\n    id: int64\n    primary key (id)\n    check small (id < 9)\n}\n\
                table apiary {\n    id: int64\n    primary key (id)\n    check small (id < 9)\n}\n";
    let resolution = resolve(&[Source { name: "a.oak".into(), text: text.to_owned() }]);
    let schema = resolution.schema.expect("it resolves");
    let faults = dialect().lower(&schema).expect_err("one name is there twice");
    assert!(faults.iter().any(|fault| fault.kind.to_string().contains("small")), "{faults:?}");
    assert!(Dialect::of(Provider::Mariadb).expect("it has a dialect").lower(&schema).is_ok());
}
