//! Events of a file, in the words in which the catalogue has them.

use crate::dialect::mariadb::quote::{literal, quote};
use crate::sql::{Cursor, TokenKind};

/// The statement that makes an event, behind its name, as it is put together from `information_schema.events`. Nothing where
/// a moment is an expression, or is left out: only a server can tell which one it is.
pub(super) fn event(cursor: &mut Cursor<'_>, name: &str) -> Option<String> {
    cursor.eat_all(&["on", "schedule"]).then_some(())?;
    let mut sql = format!("create event {} on schedule", quote(name));
    if cursor.eat("at") {
        sql.push_str(&format!(" at {}", moment(cursor)?));
    } else {
        cursor.expect("every")?;
        let every = match cursor.kind() {
            TokenKind::Number => cursor.number()?.to_string(),
            _ => literal(&cursor.text()?),
        };
        let unit = cursor.name()?.to_ascii_lowercase();
        cursor.expect("starts")?;
        sql.push_str(&format!(" every {every} {unit} starts {}", moment(cursor)?));
        if cursor.eat("ends") {
            sql.push_str(&format!(" ends {}", moment(cursor)?));
        }
    }
    if !cursor.eat_all(&["on", "completion", "not", "preserve"]) && cursor.eat_all(&["on", "completion", "preserve"]) {
        sql.push_str(" on completion preserve");
    }
    if !cursor.eat("enable") && cursor.eat("disable") {
        let elsewhere = cursor.eat_all(&["on", "slave"]) || cursor.eat_all(&["on", "replica"]);
        sql.push_str(if elsewhere { " disable on slave" } else { " disable" });
    }
    if cursor.eat("comment") {
        sql.push_str(&format!(" comment {}", literal(&cursor.text()?)));
    }
    cursor.expect("do")?;
    Some(sql + " do\n" + cursor.rest())
}

/// A moment that is said as a text, with nothing added to it, as the catalogue writes it: `2026-01-01 00:00:00`.
fn moment(cursor: &mut Cursor<'_>) -> Option<String> {
    let text = cursor.text()?;
    let is_whole = text.len() == "2026-01-01 00:00:00".len() && text.as_bytes().get(10) == Some(&b' ');
    (is_whole && !cursor.is_one_of(&["+", "-"])).then(|| literal(&text))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::mariadb::SYNTAX;

    #[test]
    fn an_event_is_said_as_the_catalogue_says_it() {
        #[track_caller]
        fn case(written: &str, said: Option<&str>) {
            let told = event(&mut Cursor::new(written, SYNTAX), "e");
            assert_eq!(told.as_deref(), said.map(|said| format!("create event e {said}")).as_deref(), "{written}");
        }
        // As the server's dumper writes it.
        case(
            "ON SCHEDULE EVERY 5 HOUR STARTS '2026-11-30 00:08:32' ON COMPLETION NOT PRESERVE ENABLE DO SELECT 5",
            Some("on schedule every 5 hour starts '2026-11-30 00:08:32' do\nSELECT 5"),
        );
        case(
            "on schedule every '1:30' minute_second starts '2026-01-01 00:00:00' ends '2027-01-01 00:00:00'
             on completion preserve disable on slave comment 'it''s' do begin end",
            Some(
                "on schedule every '1:30' minute_second starts '2026-01-01 00:00:00' ends '2027-01-01 00:00:00' \
                 on completion preserve disable on slave comment 'it''s' do\nbegin end",
            ),
        );
        case(
            "on schedule at '2030-01-01 00:00:00' do delete from t",
            Some("on schedule at '2030-01-01 00:00:00' do\ndelete from t"),
        );
        case("on schedule at '2030-01-01 00:00:00' + interval 1 day do delete from t", None);
        case("on schedule every 1 day do delete from t", None);
        case("on schedule at current_timestamp do delete from t", None);
    }
}
