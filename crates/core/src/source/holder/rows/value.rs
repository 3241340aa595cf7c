//! Rows as they are hashed and written: the values of all their columns, exactly.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use rusqlite::ToSql;
use rusqlite::types::{ToSqlOutput, ValueRef};
use serde_json::{Map, Value as Json, json};

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

/// A row: its columns in the order of their names, and what is in them.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct RowValues(Vec<(String, Cell)>);

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
    /// Out of a row of a statement, from its column `first` on.
    pub(super) fn of(
        row: &rusqlite::Row<'_>,
        columns: &[String],
        first: usize,
    ) -> rusqlite::Result<Self> {
        let mut values = Vec::with_capacity(columns.len());
        for at in in_order(columns) {
            values.push((columns[at].clone(), row.get_ref(first + at)?.into()));
        }
        Ok(Self(values))
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = &(String, Cell)> {
        self.0.iter()
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
        let columns = self.0.iter().map(|(column, _)| column.as_str());
        let mut hasher = RowHasher::new(table, columns);
        for (_, value) in &self.0 {
            hasher.add(value.as_ref());
        }
        hasher.finish()
    }

    /// As JSON: numbers and text as they are, what JSON has no form for as an object that names its form.
    pub(super) fn to_json(&self) -> Json {
        let json_of = |value: &Cell| match value {
            Cell::Null => Json::Null,
            Cell::Integer(number) => json!(number),
            Cell::Real(number) if number.is_finite() => json!(number),
            Cell::Real(number) => json!({ "real": number.to_string() }),
            Cell::Text(text) => match std::str::from_utf8(text) {
                Ok(text) => json!(text),
                Err(_) => json!({ "text-base64": STANDARD.encode(text) }),
            },
            Cell::Blob(bytes) => json!({ "base64": STANDARD.encode(bytes) }),
        };
        let values = self.0.iter();
        let object = values.map(|(column, value)| (column.clone(), json_of(value)));
        Json::Object(object.collect::<Map<_, _>>())
    }

    /// Out of that.
    pub(super) fn from_json(json: &Json) -> Option<Self> {
        let values = json
            .as_object()?
            .iter()
            .map(|(column, value)| Some((column.clone(), cell_of(value)?)));
        let mut values = values.collect::<Option<Vec<_>>>()?;
        values.sort_by(|(one, _), (other, _)| one.cmp(other));
        Some(Self(values))
    }
}

fn cell_of(value: &Json) -> Option<Cell> {
    Some(match value {
        Json::Null => Cell::Null,
        Json::Number(number) => match number.as_i64() {
            Some(number) => Cell::Integer(number),
            None => Cell::Real(number.as_f64()?),
        },
        Json::String(text) => Cell::Text(text.clone().into_bytes()),
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
