//! Names of tables, types and the like on a provider with namespaces.
//!
//! What is in a namespace reads `sales.invoice`; what is in the one that a session works in has its name alone. A part
//! that has a point in itself is in double quotes: `"a.b"` is one name. Providers without namespaces have plain names.

use std::borrow::Cow;

/// The namespace, if the name says one, and the rest.
pub fn split(name: &str) -> (Option<&str>, &str) {
    // What tells routines of one name apart stands behind a parenthesis, and may have points of its own.
    let mut quoted = false;
    for (at, byte) in name.bytes().enumerate() {
        match byte {
            b'"' => quoted = !quoted,
            b'(' if !quoted && at > 0 => break,
            b'.' if !quoted && at > 0 => return (Some(&name[..at]), &name[at + 1..]),
            _ => {}
        }
    }
    (None, name)
}

/// The name without its namespace.
pub(crate) fn base(name: &str) -> &str {
    split(name).1
}

/// A name where another one is.
pub(crate) fn beside(other: &str, name: &str) -> String {
    split(other).0.map_or_else(|| name.to_owned(), |namespace| format!("{namespace}.{name}"))
}

/// The name with something before it, where it is.
pub(crate) fn renamed(name: &str, before: &str) -> String {
    let (_, base) = split(name);
    beside(name, &part(&format!("{before}{}", plain(base))))
}

/// A name in a namespace, or in the one that is worked in; both as they are in the catalogue.
pub fn qualified(namespace: Option<&str>, name: &str) -> String {
    namespace.map_or_else(|| part(name).into_owned(), |namespace| format!("{}.{}", part(namespace), part(name)))
}

/// A name as SQL has it, each part perhaps in quotes.
pub(crate) fn of_sql(said: &str) -> String {
    let (namespace, base) = split(said);
    qualified(namespace.map(crate::sql::unquote).as_deref(), &crate::sql::unquote(base))
}

/// A name as a part of one of these.
pub(crate) fn part(name: &str) -> Cow<'_, str> {
    let head = name.find('(').filter(|at| *at > 0).map_or(name, |at| &name[..at]);
    if head.contains(['.', '"']) {
        Cow::Owned(format!("\"{}\"", name.replace('"', "\"\"")))
    } else {
        Cow::Borrowed(name)
    }
}

/// A part as it is in the catalogue.
pub(crate) fn plain(part: &str) -> Cow<'_, str> {
    match part.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')) {
        Some(inner) => Cow::Owned(inner.replace("\"\"", "\"")),
        None => Cow::Borrowed(part),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_and_its_namespace() {
        #[track_caller]
        fn case(name: &str, namespace: Option<&str>, rest: &str) {
            assert_eq!(split(name), (namespace, rest));
            let parts = (namespace.map(plain), plain(rest));
            assert_eq!(qualified(parts.0.as_deref(), &parts.1), name, "the way back");
        }
        case("invoice", None, "invoice");
        case("sales.invoice", Some("sales"), "invoice");
        case("Sales Dept.Order Line", Some("Sales Dept"), "Order Line");
        case("\"a.b\"", None, "\"a.b\"");
        case("\"a.b\".\"c.d\"", Some("\"a.b\""), "\"c.d\"");
        case("\"say \"\"hm\"\".\"", None, "\"say \"\"hm\"\".\"");
        case("price(sales.kind)", None, "price(sales.kind)");
        case("sales.price(sales.kind)", Some("sales"), "price(sales.kind)");
    }

    #[test]
    fn a_name_beside_another() {
        assert_eq!(beside("sales.invoice", "invoice_pkey"), "sales.invoice_pkey");
        assert_eq!(beside("invoice", "invoice_pkey"), "invoice_pkey");
        assert_eq!(base("sales.invoice"), "invoice");
    }
}
