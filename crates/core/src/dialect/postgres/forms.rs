//! Domains, privileges and exclusions as PostgreSQL's SQL, worded as its catalogue is read.

use super::quote::{quote, quote_object};
use super::render::takes_description;
use super::sequence;
use super::types::{full_name, portable, type_name};
use crate::dialect::lowering::Formed;
use crate::dialect::naming::{NameKind, derived_name};
use crate::physical::{Program, TypeName, qualified};
use crate::schema::{Domain, Exclusion, Form, Grant, Identifier, Type};
use crate::sql::{Expression, in_parentheses, matching_parenthesis, unquote};

/// The SQL of an object that is declared in clauses, and its name in the catalogue.
pub(super) fn formed(name: &str, form: &Form) -> Formed {
    match form {
        Form::Domain(domain) => of_domain(name, domain),
        Form::Grant(grant) => of_grant(grant),
        Form::Exclusion(exclusion) => of_exclusion(exclusion),
    }
}

fn of_domain(name: &str, domain: &Domain) -> Formed {
    let quoted = quote_object(name);
    let ty = full_name(&domain.native.clone().or_else(|| portable(&domain.ty)).unwrap_or_default());
    let mut unnamed = 0;
    let checks = domain.checks.iter().map(|(check, expression)| {
        let check = check.as_ref().map_or_else(|| derived(name, &mut unnamed), Identifier::to_string);
        format!(" constraint {} check {}", quote(&check), in_parentheses(expression))
    });
    Formed {
        name: name.to_owned(),
        create: format!("create domain {quoted} as {ty}{}", checks.collect::<String>()),
        drop: format!("drop domain {quoted}"),
        after: Vec::new(),
    }
}

/// The name of a domain's check that was declared without one, as the server would call it.
fn derived(domain: &str, unnamed: &mut usize) -> String {
    let (_, base) = qualified::split(domain);
    let number = std::mem::replace(unnamed, *unnamed + 1);
    let number = if number == 0 { String::new() } else { number.to_string() };
    let limit = super::FACTS.identifier_limit;
    derived_name(&qualified::plain(base), std::iter::empty(), NameKind::Check, limit) + &number
}

fn stored(name: &Identifier) -> String {
    super::lower::object(name)
}

fn of_grant(grant: &Grant) -> Formed {
    let target = stored(&grant.target);
    let kind = if grant.on_sequence { "sequence " } else { "" };
    let what = format!("{} on {kind}{}", grant.privileges.join(", "), quote_object(&target));
    // Everybody is no role ("GRANT").
    let role = if grant.role.as_str() == "public" { "public".to_owned() } else { quote(grant.role.as_str()) };
    let option = if grant.with_option { " with grant option" } else { "" };
    Formed {
        name: format!("{role} on {target}{option}"),
        create: format!("grant {what} to {role}{option}"),
        drop: format!("revoke {what} from {role}"),
        after: vec![target],
    }
}

fn of_exclusion(exclusion: &Exclusion) -> Formed {
    let table = stored(&exclusion.table);
    let name = match &exclusion.name {
        Some(name) => name.to_string(),
        None => {
            let first = |part: &str| part.split_whitespace().next().unwrap_or_default().trim_matches('"').to_owned();
            let is_name = |name: &String| name.chars().all(|letter| letter.is_alphanumeric() || letter == '_');
            let columns: Vec<String> =
                exclusion.parts.split(',').map(first).filter(|name| is_name(name) && !name.is_empty()).collect();
            let (_, base) = qualified::split(&table);
            let base = qualified::plain(base);
            let limit = super::FACTS.identifier_limit;
            derived_name(&base, columns.iter().map(String::as_str), NameKind::Exclusion, limit)
        }
    };
    let alter = format!("alter table {}", quote_object(&table));
    let predicate = exclusion.predicate.as_ref().map(|one| format!(" where {}", in_parentheses(one)));
    Formed {
        create: format!(
            "{alter} add constraint {} exclude using {} {}{}",
            quote(&name),
            quote(exclusion.method.as_str()),
            in_parentheses(&exclusion.parts),
            predicate.unwrap_or_default()
        ),
        drop: format!("{alter} drop constraint {}", quote(&name)),
        name: format!("{name} on {table}"),
        after: vec![table],
    }
}

/// The clauses of an object as it is stored; nothing where they cannot say it.
pub(in crate::dialect) fn read(
    program: &Program,
    portable: impl Fn(&TypeName) -> Option<Type>,
    object: impl Fn(&str) -> Identifier,
) -> Option<Form> {
    let form = match program.word.as_deref()? {
        "domain" => Form::Domain(read_domain(program, portable)?),
        "grant" => Form::Grant(read_grant(program, object)?),
        "constraint" => Form::Exclusion(read_exclusion(program, object)?),
        _ => return None,
    };
    let formed = formed(&program.name, &form);
    let same = Expression::read_whole(&formed.create, super::SYNTAX) == program.body
        && (&formed.name, &formed.drop, &formed.after) == (&program.name, &program.drop, &program.after);
    same.then_some(form)
}

fn read_domain(program: &Program, portable: impl Fn(&TypeName) -> Option<Type>) -> Option<Domain> {
    let rest = program.create.strip_prefix(&format!("create domain {} as ", quote_object(&program.name)))?;
    let (ty, mut rest) = rest.split_at(rest.find(" constraint ").unwrap_or(rest.len()));
    let stored = type_name(ty);
    let ty = portable(&stored);
    let mut checks = Vec::new();
    let mut unnamed = 0;
    while let Some(behind) = rest.strip_prefix(" constraint ") {
        let at = behind.find(" CHECK (").or_else(|| behind.find(" check ("))?;
        let open = at + " CHECK ".len();
        let close = matching_parenthesis(behind, open).ok()?;
        let check = unquote(&behind[..at]);
        let is_derived = check == derived(&program.name, &mut unnamed);
        checks.push(((!is_derived).then(|| Identifier::new(check)), behind[open + 1..close].to_owned()));
        rest = &behind[close + 1..];
    }
    let native = ty.is_none().then(|| stored.text().to_owned());
    rest.is_empty().then(|| Domain { ty: ty.unwrap_or(Type::Native), native, checks })
}

fn read_grant(program: &Program, object: impl Fn(&str) -> Identifier) -> Option<Grant> {
    let (what, to) = program.create.strip_prefix("grant ")?.rsplit_once(" to ")?;
    let (privileges, on) = what.split_once(" on ")?;
    let is_word = |word: &&str| word.bytes().all(|byte| byte.is_ascii_lowercase());
    let privileges: Vec<&str> = privileges.split(", ").collect();
    let [target] = program.after.as_slice() else { return None };
    privileges.iter().all(is_word).then(|| Grant {
        privileges: privileges.into_iter().map(str::to_owned).collect(),
        on_sequence: on.starts_with("sequence "),
        target: object(target),
        role: Identifier::new(unquote(to.strip_suffix(" with grant option").unwrap_or(to))),
        with_option: to.ends_with(" with grant option"),
    })
}

fn read_exclusion(program: &Program, object: impl Fn(&str) -> Identifier) -> Option<Exclusion> {
    let [table] = program.after.as_slice() else { return None };
    let name = program.name.strip_suffix(&format!(" on {table}"))?;
    let head = format!("alter table {} add constraint {} ", quote_object(table), quote(name));
    let rest = program.create.strip_prefix(&head)?.strip_prefix("EXCLUDE USING ")?;
    let (method, _) = rest.split_once(' ')?;
    let open = method.len() + 1;
    let close = matching_parenthesis(rest, open).ok()?;
    let predicate = match &rest[close + 1..] {
        "" => None,
        behind => {
            let condition = behind.strip_prefix(" WHERE ")?;
            let end = matching_parenthesis(condition, 0).ok()?;
            (end + 1 == condition.len()).then(|| condition[1..end].to_owned()).map(Some)?
        }
    };
    let mut exclusion = Exclusion {
        table: object(table),
        name: None,
        method: Identifier::new(unquote(method)),
        parts: rest[open + 1..close].to_owned(),
        predicate,
    };
    if of_exclusion(&exclusion).name != program.name {
        exclusion.name = Some(Identifier::new(name));
    }
    Some(exclusion)
}

/// The statements that change a domain's checks, a sequence without losing its count, or the description of anything alone,
/// but for the new description, which stands for itself.
pub(in crate::dialect) fn altered(from: &Program, to: &Program) -> Option<Vec<String>> {
    if from.word != to.word || from.name != to.name {
        return None;
    }
    let word = to.word.as_deref()?;
    let mut statements = match word {
        "domain" => altered_domain(from, to)?,
        "sequence" => sequence::altered(from, to)?,
        _ if from.body == to.body && from.table == to.table => Vec::new(),
        _ => return None,
    };
    if from.comment.is_some() && to.comment.is_none() {
        statements.push(takes_description(to)?);
    }
    Some(statements)
}

fn altered_domain(from: &Program, to: &Program) -> Option<Vec<String>> {
    let (old, new) = (read_domain(from, |_| None)?, read_domain(to, |_| None)?);
    if old.native.map(|ty| type_name(&ty)) != new.native.map(|ty| type_name(&ty)) {
        return None;
    }
    let alter = format!("alter domain {}", quote_object(&to.name));
    let named = |checks: Vec<(Option<Identifier>, String)>| -> Vec<(String, String)> {
        let mut unnamed = 0;
        let name = |(name, expression): (Option<Identifier>, String)| match name {
            Some(name) => (name.to_string(), expression),
            None => (derived(&to.name, &mut unnamed), expression),
        };
        checks.into_iter().map(name).collect()
    };
    let (old, new) = (named(old.checks), named(new.checks));
    let canonical = |text: &str| Expression::read_whole(text, super::SYNTAX);
    let stays = |(name, text): &(String, String), others: &[(String, String)]| {
        others.iter().any(|(other, meant)| other == name && canonical(meant) == canonical(text))
    };
    let dropped = old.iter().filter(|check| !stays(check, &new));
    let added = new.iter().filter(|check| !stays(check, &old));
    let dropped = dropped.map(|(name, _)| format!("{alter} drop constraint {}", quote(name)));
    let added =
        added.map(|(name, text)| format!("{alter} add constraint {} check {}", quote(name), in_parentheses(text)));
    Some(dropped.chain(added).collect())
}
