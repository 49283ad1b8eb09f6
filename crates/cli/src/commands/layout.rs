//! Which declarations go to which files.

use std::path::PathBuf;

use hollow_oak_core::language::syntax::{Declaration, DeclarationKind, File};

/// The namespace that a declaration is in, or that it is.
pub fn namespace_of(declaration: &Declaration) -> Option<&str> {
    match &declaration.kind {
        DeclarationKind::Table(table) => table.name.value.namespace(),
        DeclarationKind::Enum(one) => one.name.value.namespace(),
        DeclarationKind::Rows(rows) => rows.table.value.namespace(),
        DeclarationKind::Program(one) if one.word.as_ref().is_some_and(|word| word.value == "namespace") => {
            Some(one.name.value.as_str())
        }
        DeclarationKind::Program(one) => one.table.as_ref().unwrap_or(&one.name).value.namespace(),
    }
}

/// A file for each table, and one for each kind of the rest; in a folder for each namespace.
pub fn file_of(declaration: &Declaration) -> String {
    let name = match &declaration.kind {
        DeclarationKind::Table(table) => file_name(table.name.value.base()),
        DeclarationKind::Rows(rows) => file_name(rows.table.value.base()),
        DeclarationKind::Enum(_) => "_enums".to_owned(),
        DeclarationKind::Program(program) => format!("_{}s", program.kind.word().replace(' ', "_")),
    };
    namespace_of(declaration).map_or(name.clone(), |namespace| format!("{}/{name}", file_name(namespace)))
}

/// A name as a file's, on every system.
pub fn file_name(table: &str) -> String {
    table.chars().map(|one| if one.is_alphanumeric() || matches!(one, '-' | '_') { one } else { '_' }).collect()
}

/// Where a new declaration goes, by how the files are laid out that are there: to a file of its own where every table has
/// one; else to the last file with something of its namespace; else to the last file.
pub fn place_of(declaration: &Declaration, files: &[(PathBuf, File)]) -> Option<PathBuf> {
    let name = |declaration: &Declaration| format!("{}.oak", file_of(declaration));
    let is_split = |(path, file): &(PathBuf, File)| file.declarations.iter().all(|one| path.ends_with(name(one)));
    let first = files.iter().find(|(_, file)| !file.declarations.is_empty());
    if let Some((path, file)) = first.filter(|_| files.len() > 1 && files.iter().all(is_split)) {
        let depth = PathBuf::from(name(&file.declarations[0])).components().count();
        return Some(path.ancestors().nth(depth)?.join(name(declaration)));
    }
    let namespace = namespace_of(declaration);
    let of_it = |(_, file): &&(PathBuf, File)| file.declarations.iter().any(|one| namespace_of(one) == namespace);
    files.iter().rev().find(of_it).or(files.last()).map(|(path, _)| path.clone())
}
