//! Rows as they are hashed and written: the values of all their columns, exactly.

use std::sync::Arc;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use rusqlite::ToSql;
use rusqlite::types::{ToSqlOutput, ValueRef};
use serde::{Deserialize, Serialize, Serializer};
use serde_json::Value as Json;

use crate::source::Fingerprint;

/// One value, of the types that SQLite stores; text need not be any.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Cell {
    Null,
    Integer(i64),
    Real(f64),
    Text(Vec<u8>),
    Blob(Vec<u8>),
}

impl Cell {
    fn as_ref(&self) -> ValueRef<'_> {
        match self {
            Self::Null => ValueRef::Null,
            Self::Integer(number) => ValueRef::Integer(*number),
            Self::Real(number) => ValueRef::Real(*number),
            Self::Text(text) => ValueRef::Text(text),
            Self::Blob(bytes) => ValueRef::Blob(bytes),
        }
    }
}

impl From<ValueRef<'_>> for Cell {
    fn from(value: ValueRef<'_>) -> Self {
        match value {
            ValueRef::Null => Self::Null,
            ValueRef::Integer(number) => Self::Integer(number),
            ValueRef::Real(number) => Self::Real(number),
            ValueRef::Text(text) => Self::Text(text.to_vec()),
            ValueRef::Blob(bytes) => Self::Blob(bytes.to_vec()),
        }
    }
}

impl ToSql for Cell {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        Ok(ToSqlOutput::Borrowed(self.as_ref()))
    }
}

/// As JSON: numbers and text as they are, what JSON has no form for as an object that names its form.
impl Serialize for Cell {
    fn serialize<S: Serializer>(&self, out: S) -> Result<S::Ok, S::Error> {
        let form = |out: S, name: &str, text: &str| out.collect_map([(name, text)]);
        match self {
            Self::Null => out.serialize_unit(),
            Self::Integer(number) => out.serialize_i64(*number),
            Self::Real(number) if number.is_finite() => out.serialize_f64(*number),
            Self::Real(number) => form(out, "real", &number.to_string()),
            Self::Text(text) => match std::str::from_utf8(text) {
                Ok(text) => out.serialize_str(text),
                Err(_) => form(out, "text-base64", &STANDARD.encode(text)),
            },
            Self::Blob(bytes) => form(out, "base64", &STANDARD.encode(bytes)),
        }
    }
}

/// The columns of a table as its rows give them, and the order of their names.
#[derive(Debug)]
pub(super) struct Columns {
    names: Vec<Arc<str>>,
    order: Vec<usize>,
}

impl Columns {
    pub(super) fn of(names: &[String]) -> Self {
        Self {
            names: names.iter().map(|name| Arc::from(&**name)).collect(),
            order: in_order(names),
        }
    }
}

/// A row: its columns in the order of their names, and what is in them.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(try_from = "Json")]
pub(super) struct RowValues(Vec<(Arc<str>, Cell)>);

impl Serialize for RowValues {
    fn serialize<S: Serializer>(&self, out: S) -> Result<S::Ok, S::Error> {
        out.collect_map(self.0.iter().map(|(column, value)| (&**column, value)))
    }
}

impl TryFrom<Json> for RowValues {
    type Error = &'static str;

    fn try_from(json: Json) -> Result<Self, Self::Error> {
        Self::from_json(json).ok_or("these are no values of a row")
    }
}

/// Puts together the hash of a row: its table and columns once for all rows, then value by value, in the order of the
/// columns' names.
pub(super) struct RowHasher {
    text: Vec<u8>,
    /// How much of that is the table's.
    begins: usize,
}

impl RowHasher {
    /// For rows of a table with these columns, in the order of their names.
    pub(super) fn new<'c>(table: &'c str, columns: impl Iterator<Item = &'c str>) -> Self {
        let mut hasher = blake3::Hasher::new();
        for name in [table].into_iter().chain(columns) {
            hasher.update(&(name.len() as u64).to_le_bytes());
            hasher.update(name.as_bytes());
        }
        let text = hasher.finalize().as_bytes().to_vec();
        Self {
            begins: text.len(),
            text,
        }
    }

    /// Begins with another row.
    pub(super) fn begin(&mut self) {
        self.text.truncate(self.begins);
    }

    /// Adds the value of the next column.
    pub(super) fn add(&mut self, value: ValueRef<'_>) {
        let mut bytes = |kind: u8, bytes: &[u8]| {
            self.text.push(kind);
            let length = bytes.len() as u64;
            self.text.extend_from_slice(&length.to_le_bytes());
            self.text.extend_from_slice(bytes);
        };
        match value {
            ValueRef::Null => self.text.push(b'n'),
            ValueRef::Integer(number) => {
                self.text.push(b'i');
                self.text.extend_from_slice(&number.to_le_bytes());
            }
            ValueRef::Real(number) => {
                self.text.push(b'r');
                self.text.extend_from_slice(&number.to_bits().to_le_bytes());
            }
            ValueRef::Text(text) => bytes(b't', text),
            ValueRef::Blob(blob) => bytes(b'b', blob),
        }
    }

    pub(super) fn finish(&self) -> Fingerprint {
        Fingerprint::of(&self.text)
    }
}

/// The positions of columns in the order of their names.
pub(super) fn in_order(columns: &[String]) -> Vec<usize> {
    let mut order: Vec<usize> = (0..columns.len()).collect();
    order.sort_by(|one, other| columns[*one].cmp(&columns[*other]));
    order
}

/// About how many bytes a value takes in its database (the record format of its documentation).
pub(super) fn stored_length(value: ValueRef<'_>) -> u64 {
    1 + match value {
        ValueRef::Null | ValueRef::Integer(0 | 1) => 0,
        ValueRef::Integer(number) => match number.unsigned_abs() {
            0..=0x7f => 1,
            0x80..=0x7fff => 2,
            0x8000..=0x7fff_ffff => 4,
            _ => 8,
        },
        ValueRef::Real(_) => 8,
        ValueRef::Text(bytes) | ValueRef::Blob(bytes) => bytes.len() as u64,
    }
}

impl RowValues {
    /// Out of a row of a statement that gives all its columns.
    pub(super) fn of(row: &rusqlite::Row<'_>, columns: &Columns) -> rusqlite::Result<Self> {
        let values = columns.order.iter();
        let values =
            values.map(|at| Ok((Arc::clone(&columns.names[*at]), row.get_ref(*at)?.into())));
        Ok(Self(values.collect::<rusqlite::Result<_>>()?))
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = (&str, &Cell)> {
        self.0.iter().map(|(column, value)| (&**column, value))
    }

    pub(super) fn get(&self, column: &str) -> Option<&Cell> {
        let mut values = self.0.iter();
        values
            .find(|(name, _)| name.eq_ignore_ascii_case(column))
            .map(|(_, value)| value)
    }

    /// A column's whole number.
    pub(super) fn number(&self, column: &str) -> Option<i64> {
        match self.get(column)? {
            Cell::Integer(number) => Some(*number),
            Cell::Null | Cell::Real(_) | Cell::Text(_) | Cell::Blob(_) => None,
        }
    }

    pub(super) fn set(&mut self, column: &str, value: Cell) {
        let mut values = self.0.iter_mut();
        if let Some((_, old)) = values.find(|(name, _)| name.eq_ignore_ascii_case(column)) {
            *old = value;
        }
    }

    /// What tells a row with these values from others.
    pub(super) fn fingerprint(&self, table: &str) -> Fingerprint {
        let columns = self.0.iter().map(|(column, _)| &**column);
        let mut hasher = RowHasher::new(table, columns);
        for (_, value) in &self.0 {
            hasher.add(value.as_ref());
        }
        hasher.finish()
    }

    fn from_json(json: Json) -> Option<Self> {
        let Json::Object(columns) = json else {
            return None;
        };
        let values = columns.into_iter();
        let values = values.map(|(column, value)| Some((Arc::from(column), cell_of(value)?)));
        let mut values = values.collect::<Option<Vec<(Arc<str>, Cell)>>>()?;
        values.sort_by(|(one, _), (other, _)| one.cmp(other));
        Some(Self(values))
    }
}

fn cell_of(value: Json) -> Option<Cell> {
    Some(match value {
        Json::Null => Cell::Null,
        Json::Number(number) => match number.as_i64() {
            Some(number) => Cell::Integer(number),
            None => Cell::Real(number.as_f64()?),
        },
        Json::String(text) => Cell::Text(text.into_bytes()),
        Json::Object(form) => {
            let (name, text) = form.iter().next()?;
            let text = text.as_str()?;
            match &**name {
                "base64" => Cell::Blob(STANDARD.decode(text).ok()?),
                "text-base64" => Cell::Text(STANDARD.decode(text).ok()?),
                "real" => Cell::Real(text.parse().ok()?),
                _ => return None,
            }
        }
        Json::Bool(_) | Json::Array(_) => return None,
    })
}
