//! Times the pure diff of two schemas of N tables, one in a hundred of them changed; prints N and milliseconds.

#![expect(clippy::print_stdout, reason = "printing the times is what it is for")]
use std::time::Instant;

use hollow_oak_core::diff::diff;
use hollow_oak_core::physical::{
    Column, Index, IndexKey, IndexPart, KeyColumn, NameCase, PrimaryKey, Schema, Table, TypeName,
};

fn column(name: &str, ty: &str) -> Column {
    Column::new(name, TypeName::new(ty))
}

fn schema(tables: usize, changed: bool) -> Schema {
    let table = |number: usize| {
        let mut table = Table::new(format!("table_{number}"), NameCase::Ignored);
        table.columns = (0..10).map(|at| column(&format!("column_{at}"), "VARCHAR(40)")).collect();
        if changed && number.is_multiple_of(100) {
            table.columns[5] = column("column_5", "TEXT");
        }
        table.primary_key = Some(PrimaryKey {
            name: Some(format!("table_{number}_pkey")),
            columns: vec![KeyColumn::new("column_0")],
            attributes: Default::default(),
        });
        table.indexes = (1..3)
            .map(|at| {
                let part = IndexPart::new(IndexKey::Column(format!("column_{at}")));
                Index::new(format!("table_{number}_{at}"), false, vec![part])
            })
            .collect();
        table
    };
    Schema::new(NameCase::Ignored, (0..tables).map(table))
}

fn main() {
    for tables in [1_250, 2_500, 5_000, 10_000] {
        let (left, right) = (schema(tables, false), schema(tables, true));
        let mut times: Vec<_> = (0..7)
            .map(|_| {
                let began = Instant::now();
                let changes = diff(&left, &right);
                assert_eq!(changes.tables.len(), tables.div_ceil(100));
                began.elapsed()
            })
            .collect();
        times.sort();
        println!("{tables} {:.3}", times[3].as_secs_f64() * 1000.0);
    }
}
