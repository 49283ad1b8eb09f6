//! The portable column types.

use std::fmt;

use super::Identifier;

/// A portable type of the language, or an enum's name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Type {
    /// Truth value.
    Bool,
    /// Signed integer of this many bits: 8, 16, 32 or 64.
    Int(u8),
    /// IEEE binary float of this many bits: 32 or 64.
    Float(u8),
    /// Exact decimal: precision and scale in digits; `None` where the provider's own limit holds.
    Decimal(Option<(u32, u32)>),
    /// Text of at most this many characters; unbounded without a number.
    Text(Option<u32>),
    /// Text of exactly this many characters.
    Char(u32),
    /// Bytes, at most this many; unbounded without a number.
    Bytes(Option<u32>),
    /// Civil date.
    Date,
    /// Time of day, with this many fraction digits.
    Time(Option<u8>),
    /// Civil date and time without a zone, with this many fraction digits.
    Datetime(Option<u8>),
    /// Point in time, UTC, with this many fraction digits.
    Instant(Option<u8>),
    /// Span of time.
    Interval,
    /// 128-bit identifier.
    Uuid,
    /// JSON document.
    Json,
    /// One of the words of this enum.
    Enum(Identifier),
    /// Array of another type.
    Array(Box<Type>),
    /// No portable type: the column only has a `native` type for each provider it holds for.
    Native,
}

impl Type {
    /// The words that name a portable type, for suggestions.
    pub const WORDS: [&'static str; 19] = [
        "bool", "int8", "int16", "int32", "int64", "float32", "float64", "decimal", "text", "char", "bytes", "date",
        "time", "datetime", "instant", "interval", "uuid", "json", "native",
    ];

    /// The portable type that stands for one of SQL's or of a programming language, without its length and with
    /// the clause that comes with it: `int64` for `bigint`.
    pub fn meant_by(word: &str) -> Option<&'static str> {
        let portable = match word.to_ascii_lowercase().as_str() {
            "boolean" | "bit" => "bool",
            "tinyint" | "byte" => "int8",
            "smallint" | "int2" | "short" => "int16",
            "int" | "integer" | "int4" | "mediumint" => "int32",
            "smallserial" => "int16, identity",
            "serial" => "int32, identity",
            "bigint" | "long" => "int64",
            "bigserial" => "int64, identity",
            "real" | "float4" | "float" => "float32",
            "double" | "float8" => "float64",
            "numeric" | "number" | "dec" | "money" => "decimal",
            "varchar" | "nvarchar" | "varchar2" | "character" | "string" | "str" | "clob" | "longtext"
            | "mediumtext" | "tinytext" | "ntext" | "citext" => "text",
            "nchar" => "char",
            "blob" | "bytea" | "binary" | "varbinary" | "longblob" | "mediumblob" | "tinyblob" | "image" => "bytes",
            "timestamp" | "datetime2" => "datetime",
            "timestamptz" | "datetimeoffset" => "instant",
            "timetz" => "time",
            "jsonb" => "json",
            "guid" | "uniqueidentifier" => "uuid",
            _ => return None,
        };
        Some(portable)
    }

    /// Whether a bare word in a type's place means something else than an enum.
    fn is_word(word: &str) -> bool {
        Self::WORDS.contains(&word) || word == "references"
    }

    /// Whether it is one of the integer types.
    pub fn is_integer(&self) -> bool {
        matches!(self, Self::Int(_))
    }
}

impl fmt::Display for Type {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let counted = |formatter: &mut fmt::Formatter<'_>, word: &str, count: Option<u32>| match count {
            Some(count) => write!(formatter, "{word}({count})"),
            None => formatter.write_str(word),
        };
        match self {
            Self::Bool => formatter.write_str("bool"),
            Self::Int(bits) => write!(formatter, "int{bits}"),
            Self::Float(bits) => write!(formatter, "float{bits}"),
            Self::Decimal(None) => formatter.write_str("decimal"),
            Self::Decimal(Some((precision, scale))) => {
                write!(formatter, "decimal({precision}, {scale})")
            }
            Self::Text(length) => counted(formatter, "text", *length),
            Self::Char(length) => write!(formatter, "char({length})"),
            Self::Bytes(length) => counted(formatter, "bytes", *length),
            Self::Date => formatter.write_str("date"),
            Self::Time(fraction) => counted(formatter, "time", fraction.map(u32::from)),
            Self::Datetime(fraction) => counted(formatter, "datetime", fraction.map(u32::from)),
            Self::Instant(fraction) => counted(formatter, "instant", fraction.map(u32::from)),
            Self::Interval => formatter.write_str("interval"),
            Self::Uuid => formatter.write_str("uuid"),
            Self::Json => formatter.write_str("json"),
            Self::Enum(name) if Self::is_word(name.as_str()) => write!(formatter, "\"{name}\""),
            Self::Enum(name) => formatter.write_str(&name.declared()),
            Self::Array(element) => write!(formatter, "{element}[]"),
            Self::Native => formatter.write_str("native"),
        }
    }
}
