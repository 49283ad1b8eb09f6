//! The bytes of a file of SQL as text.
//!
//! Most files are UTF-8. A dump may say another encoding for all of it or for a stretch: MariaDB's dumper writes each routine in
//! the one of the client that made it (MariaDB, "SET CHARACTER SET"; PostgreSQL, "Character Set Support"), and a shell of Windows
//! makes UTF-16 of what is sent to a file.

/// A file whose bytes are no text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotText {
    /// The first line with such bytes, from 1.
    pub line: usize,
    /// What the file says it is in there, in its own word.
    pub stated: Option<String>,
}

/// The text of a file of SQL.
///
/// # Errors
///
/// Where it is not UTF-8, and says no other encoding that is known here: latin1 and those that go by the same letters.
pub fn text_of_bytes(bytes: Vec<u8>) -> Result<String, NotText> {
    let bytes = match &bytes[..] {
        [0xEF, 0xBB, 0xBF, text @ ..] => text.to_vec(),
        [0xFF, 0xFE, text @ ..] => return of_units(text, u16::from_le_bytes),
        [0xFE, 0xFF, text @ ..] => return of_units(text, u16::from_be_bytes),
        _ => bytes,
    };
    String::from_utf8(bytes).or_else(|error| by_lines(error.as_bytes()))
}

fn of_units(bytes: &[u8], unit: fn([u8; 2]) -> u16) -> Result<String, NotText> {
    let (pairs, rest) = bytes.as_chunks::<2>();
    let units = pairs.iter().map(|pair| unit(*pair));
    let text: Result<String, _> = char::decode_utf16(units).collect();
    text.ok().filter(|_| rest.is_empty()).ok_or(NotText { line: 1, stated: Some("UTF-16".into()) })
}

/// Each line in the encoding that was stated last.
fn by_lines(bytes: &[u8]) -> Result<String, NotText> {
    let mut text = String::with_capacity(bytes.len() + bytes.len() / 8);
    let mut file: Option<String> = None;
    let mut here: Option<String> = None;
    for (at, line) in bytes.split_inclusive(|byte| *byte == b'\n').enumerate() {
        match stated(line) {
            Some(Stated::File(name)) => (file, here) = (Some(name.clone()), Some(name)),
            Some(Stated::Stretch(name)) => here = Some(name),
            Some(Stated::AsBefore) => here.clone_from(&file),
            None => {}
        }
        match (std::str::from_utf8(line), here.as_deref().map(str::to_ascii_lowercase).as_deref()) {
            (_, Some("latin1" | "win1252")) => text.extend(line.iter().map(|byte| windows_letter(*byte))),
            (_, Some("iso_8859_1" | "iso88591")) => text.extend(line.iter().map(|byte| char::from(*byte))),
            (Ok(line), _) => text.push_str(line),
            (Err(_), _) => {
                // Who says UTF-8 does not tell what it is instead.
                let stated = here.filter(|name| !name.to_ascii_lowercase().starts_with("utf"));
                return Err(NotText { line: at + 1, stated });
            }
        }
    }
    Ok(text)
}

enum Stated {
    File(String),
    /// Until it is said otherwise.
    Stretch(String),
    AsBefore,
}

/// What a line says of the encoding, as the dumpers write it and people do.
fn stated(line: &[u8]) -> Option<Stated> {
    let line = String::from_utf8_lossy(line);
    let mut words = line.split(|letter: char| letter.is_whitespace() || matches!(letter, '=' | ';' | '\'' | '"' | '*'));
    let mut next = || words.find(|word| !word.is_empty() && !word.starts_with(['/', '!']));
    if !next()?.eq_ignore_ascii_case("set") {
        return None;
    }
    let (what, name) = (next()?.to_ascii_lowercase(), next()?.to_owned());
    match what.as_str() {
        "names" | "client_encoding" => Some(Stated::File(name)),
        "character_set_client" if name.starts_with('@') => Some(Stated::AsBefore),
        "character_set_client" => Some(Stated::Stretch(name)),
        _ => None,
    }
}

/// MariaDB's latin1 is what Windows calls 1252 (MariaDB, "Supported Character Sets and Collations"); bytes without a letter
/// there stay what they are.
fn windows_letter(byte: u8) -> char {
    const LETTERS: [char; 32] = [
        '€', '\u{81}', '‚', 'ƒ', '„', '…', '†', '‡', 'ˆ', '‰', 'Š', '‹', 'Œ', '\u{8D}', 'Ž', '\u{8F}', '\u{90}', '‘',
        '’', '“', '”', '•', '–', '—', '˜', '™', 'š', '›', 'œ', '\u{9D}', 'ž', 'Ÿ',
    ];
    match byte {
        0x80..=0x9F => LETTERS[usize::from(byte - 0x80)],
        _ => char::from(byte),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[track_caller]
    fn case(bytes: &[u8], expected: Result<&str, (usize, Option<&str>)>) {
        let expected =
            expected.map(str::to_owned).map_err(|(line, stated)| NotText { line, stated: stated.map(str::to_owned) });
        assert_eq!(text_of_bytes(bytes.to_vec()), expected);
    }

    #[test]
    fn a_file_is_read_in_the_encoding_that_it_says() {
        case("select 'é'".as_bytes(), Ok("select 'é'"));
        case("\u{FEFF}select 'é'".as_bytes(), Ok("select 'é'"));
        case(b"\xFF\xFEs\0\xE9\0", Ok("sé"));
        case(b"\xFE\xFF\0s\0\xE9", Ok("sé"));
        case(b"/*!40101 SET NAMES latin1 */;\n'\xE9\x80'", Ok("/*!40101 SET NAMES latin1 */;\n'é€'"));
        case(
            b"SET client_encoding = 'ISO_8859_1';\n'\xC3\xA9'\n'\xE9'",
            Ok("SET client_encoding = 'ISO_8859_1';\n'Ã©'\n'é'"),
        );
    }

    /// As MariaDB's dumper writes it.
    #[test]
    fn a_stretch_of_a_file_may_be_in_another() {
        let dump = b"SET NAMES utf8mb4 */;\n'\xC3\xA9'\n/*!50003 SET character_set_client  = latin1 */ ;\n'\xE9'\n\
            /*!50003 SET character_set_client  = @saved_cs_client */ ;\n'\xC3\xA9'";
        let text = text_of_bytes(dump.to_vec()).unwrap_or_default();
        assert_eq!(text.matches("'é'").count(), 3, "{text}");
    }

    #[test]
    fn what_is_in_no_known_encoding_is_told() {
        case(b"select 1;\n'\xE9'", Err((2, None)));
        case(b"set names koi8r;\n'\xC1'", Err((2, Some("koi8r"))));
        case(b"/*!40101 SET NAMES utf8mb4 */;\n'\xE9'", Err((2, None)));
        case(b"\xFF\xFEs", Err((1, Some("UTF-16"))));
    }
}
