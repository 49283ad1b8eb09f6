//! What only SQLite's own shell understands in a file.

use crate::Span;
use crate::dialect::Dialect;
use crate::dialect::reading::blanked;
use crate::sql::split;

/// The shell's commands that bring in what the file does not say.
const BRINGING_IN: [&str; 8] = ["read", "import", "load", "open", "restore", "clone", "shell", "system"];

/// The text without the shell's commands and comments, which stand at the beginning of a line where no statement is open
/// (SQLite, "Command Line Shell For SQLite", "Rules for dot-commands"). Those that bring something in stay, and are refused.
pub(in crate::dialect) fn plain(source: &str) -> String {
    let mut text = source.to_owned();
    if !source.lines().any(|line| line.starts_with(['.', '#'])) {
        return text;
    }
    // What stands in one can be half a statement, so that the next is looked for without it.
    while let Some(line) = first_line_for_shell(&text) {
        text = blanked(&text, &[line]);
    }
    text
}

fn first_line_for_shell(text: &str) -> Option<Span> {
    let statements = split(text, Dialect::Sqlite.syntax(), Dialect::Sqlite.bodies());
    statements.iter().map(|statement| statement.span.start).find_map(|start| {
        let is_at_line_start = start == 0 || text.as_bytes()[start - 1] == b'\n';
        let line = text[start..].lines().next().filter(|_| is_at_line_start)?;
        let is_for_shell = match line.strip_prefix('.') {
            Some(command) => !BRINGING_IN.contains(&command.split_whitespace().next().unwrap_or_default()),
            None => line.starts_with('#'),
        };
        is_for_shell.then(|| Span::new(start, start + line.len()))
    })
}

#[cfg(test)]
mod tests {
    use super::plain;

    #[test]
    fn commands_and_comments_of_the_shell_are_left_out() {
        let plainly = |source: &str| plain(source).split_whitespace().collect::<Vec<_>>().join(" ");
        assert_eq!(
            plainly("# It's a comment\n.mode box\ncreate table t (\n.5,\n#\n);\n.quit\n"),
            "create table t ( .5, # );"
        );
        assert_eq!(plainly(".read other.sql\n"), ".read other.sql");
        assert_eq!(plain("select 1;\n.exit"), "select 1;\n     ");
    }
}
