//! What a database has: tables, their columns, and what in them would run or refer to others.

use std::collections::{BTreeMap, BTreeSet};

use rusqlite::Connection;

use crate::format::known_tables::{Child, KnownTable, Parent, Pointer};
use crate::source::holder::rows::graph::Graph;

/// Why a database is left alone though it is whole.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub(crate) enum SchemaError {
    #[error("it has no table \"{0}\"")]
    NoTable(String),
    #[error("its table \"{0}\" is not as its browser makes it: it may be of a newer version")]
    Strange(String),
    #[error(
        "its table \"{0}\" is known to nobody and refers to these rows: it may be of a newer version"
    )]
    Unknown(String),
    #[error("something in it would run when rows of \"{0}\" go")]
    Runs(String),
}

/// One table.
#[derive(Debug, Default)]
struct Table {
    columns: Vec<String>,
    /// Whether values are computed when they are read, or rows are found by computed values.
    computes: bool,
    has_trigger: bool,
    /// The column that stands for the rows' numbers.
    number_column: Option<String>,
    /// Tables that its foreign keys refer to, in small letters.
    refers: BTreeSet<String>,
}

/// The tables of a database, by their names in small letters.
#[derive(Debug, Default)]
pub(crate) struct Schema {
    tables: BTreeMap<String, Table>,
    views: BTreeSet<String>,
}

/// A table, index, view or trigger as it stands in a database, byte for byte.
#[derive(PartialEq, Eq)]
pub(crate) struct Written {
    kind: Vec<u8>,
    name: Vec<u8>,
    table: Vec<u8>,
    sql: Option<Vec<u8>>,
}

/// Everything that a database says it has, in one order.
pub(crate) fn written(connection: &Connection) -> rusqlite::Result<Vec<Written>> {
    let mut things = connection.prepare(
        "SELECT CAST(type AS BLOB), CAST(name AS BLOB), CAST(tbl_name AS BLOB), CAST(sql AS BLOB) \
         FROM main.sqlite_schema ORDER BY 1, 2, 3, 4",
    )?;
    let rows = things.query_map([], |row| {
        Ok(Written {
            kind: row.get(0)?,
            name: row.get(1)?,
            table: row.get(2)?,
            sql: row.get(3)?,
        })
    })?;
    rows.collect()
}

/// A name of a table or column in a statement.
pub(crate) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

impl Schema {
    /// Reads it.
    pub(crate) fn read(connection: &Connection) -> rusqlite::Result<Self> {
        let mut schema = Self::default();
        let mut things =
            connection.prepare("SELECT type, name, tbl_name, sql FROM sqlite_schema")?;
        let mut rows = things.query([])?;
        let mut triggered = Vec::new();
        let mut names = Vec::new();
        while let Some(row) = rows.next()? {
            let kind: String = row.get(0)?;
            let (name, of): (String, String) = (row.get(1)?, row.get(2)?);
            let sql: Option<String> = row.get(3)?;
            let sql = sql.unwrap_or_default();
            match &*kind {
                "table" if is_virtual(&sql) => drop(schema.views.insert(name.to_lowercase())),
                "table" => names.push(name),
                "view" => drop(schema.views.insert(name.to_lowercase())),
                "trigger" => triggered.push(of.to_lowercase()),
                _ => {}
            }
        }
        for name in names {
            let table = read_table(connection, &name)?;
            schema.tables.insert(name.to_lowercase(), table);
        }
        for name in triggered {
            if let Some(table) = schema.tables.get_mut(&name) {
                table.has_trigger = true;
            }
        }
        Ok(schema)
    }

    /// The columns of a table, as it has them.
    pub(crate) fn columns(&self, table: &str) -> &[String] {
        let table = self.tables.get(&table.to_lowercase());
        table.map_or(&[], |table| &table.columns)
    }

    /// The column of a table that stands for the numbers of its rows.
    pub(crate) fn number_column(&self, table: &str) -> Option<&str> {
        let table = self.tables.get(&table.to_lowercase())?;
        table.number_column.as_deref()
    }

    /// Whether it has a table, or a column as `table.column`.
    pub(crate) fn has(&self, need: &str) -> bool {
        let (table, column) = need.split_once('.').unwrap_or((need, ""));
        let Some(table) = self.tables.get(&table.to_lowercase()) else {
            return false;
        };
        let mut columns = table.columns.iter();
        column.is_empty() || columns.any(|known| known.eq_ignore_ascii_case(column))
    }

    /// Whether rows of a table can go without harm.
    pub(crate) fn check(&self, graph: &Graph<'_>) -> Result<(), SchemaError> {
        if !self.has(graph.table) {
            return Err(SchemaError::NoTable(graph.table.to_owned()));
        }
        let mut touched = BTreeSet::from([graph.table.to_lowercase()]);
        if let Some(known) = graph.known {
            for need in known.required {
                if !self.has(need) {
                    let table = need.split('.').next().unwrap_or(need);
                    return Err(SchemaError::Strange(table.to_owned()));
                }
                touched.insert(need.split('.').next().unwrap_or(need).to_lowercase());
            }
        }
        self.check_children(&graph.children, &mut touched)?;
        self.check_parents(graph.table, graph.parents, &mut touched)?;
        self.check_pointers(graph.pointers, &mut touched)?;
        for name in &touched {
            self.check_runs(name)?;
        }
        self.check_others(graph.known, &touched)
    }

    /// Nothing runs when rows of a table are read or go.
    pub(crate) fn check_runs(&self, table: &str) -> Result<(), SchemaError> {
        let table = table.to_lowercase();
        if self.views.contains(&table) {
            return Err(SchemaError::Strange(table));
        }
        let runs = |known: &Table| known.computes || known.has_trigger;
        if self.tables.get(&table).is_some_and(runs) {
            return Err(SchemaError::Runs(table));
        }
        Ok(())
    }

    fn check_children(
        &self,
        children: &[Child<'_>],
        touched: &mut BTreeSet<String>,
    ) -> Result<(), SchemaError> {
        for child in children {
            touched.insert(child.table.to_lowercase());
            if !self.has(child.table) {
                continue;
            }
            if !self.has(&format!("{}.{}", child.table, child.column)) {
                return Err(SchemaError::Strange(child.table.to_owned()));
            }
            self.check_children(child.children, touched)?;
            self.check_parents(child.table, child.parents, touched)?;
            self.check_pointers(child.pointers, touched)?;
        }
        Ok(())
    }

    fn check_parents(
        &self,
        of: &str,
        parents: &[Parent<'_>],
        touched: &mut BTreeSet<String>,
    ) -> Result<(), SchemaError> {
        for parent in parents {
            touched.insert(parent.table.to_lowercase());
            if !self.has_parent(of, parent) {
                continue;
            }
            let columns = parent.unique.iter().chain(parent.counted);
            for column in columns {
                if !self.has(&format!("{}.{column}", parent.table)) {
                    return Err(SchemaError::Strange(parent.table.to_owned()));
                }
            }
            let fading = parent.fading.iter().map(|fading| fading.rows);
            self.check_children(&fading.collect::<Vec<_>>(), touched)?;
            self.check_children(parent.children, touched)?;
            self.check_parents(parent.table, parent.parents, touched)?;
            self.check_pointers(parent.pointers, touched)?;
        }
        Ok(())
    }

    fn check_pointers(
        &self,
        pointers: &[Pointer<'_>],
        touched: &mut BTreeSet<String>,
    ) -> Result<(), SchemaError> {
        for pointer in pointers {
            touched.insert(pointer.table.to_lowercase());
            if self.views.contains(&pointer.table.to_lowercase()) {
                return Err(SchemaError::Strange(pointer.table.to_owned()));
            }
        }
        Ok(())
    }

    /// No table that nobody knows refers to rows that may go.
    fn check_others(
        &self,
        known: Option<&KnownTable>,
        touched: &BTreeSet<String>,
    ) -> Result<(), SchemaError> {
        let (references, others) =
            known.map_or((&[][..], &[][..]), |known| (known.references, known.others));
        for (name, table) in &self.tables {
            let is_known = touched.contains(name)
                || others.iter().any(|other| other.eq_ignore_ascii_case(name));
            if is_known {
                continue;
            }
            let mut columns = table.columns.iter();
            let is_reference = |column: &String| {
                let mut known = references.iter();
                known.any(|known| known.eq_ignore_ascii_case(column))
            };
            if columns.any(is_reference) || !table.refers.is_disjoint(touched) {
                return Err(SchemaError::Unknown(name.clone()));
            }
        }
        Ok(())
    }

    /// Whether rows of a table have such a parent here.
    pub(crate) fn has_parent(&self, of: &str, parent: &Parent<'_>) -> bool {
        self.has(parent.table) && self.has(&format!("{of}.{}", parent.via))
    }
}

fn is_virtual(sql: &str) -> bool {
    let mut words = sql.split_whitespace().skip(1);
    words
        .next()
        .is_some_and(|word| word.eq_ignore_ascii_case("virtual"))
}

fn read_table(connection: &Connection, name: &str) -> rusqlite::Result<Table> {
    let mut table = Table::default();
    let name = quoted(name);
    let mut columns = connection.prepare(&format!("PRAGMA main.table_xinfo({name})"))?;
    let mut rows = columns.query([])?;
    let mut primary = Vec::new();
    while let Some(row) = rows.next()? {
        let (column, kind): (String, String) = (row.get(1)?, row.get(2)?);
        if row.get::<_, i64>(5)? != 0 {
            primary.push((column.clone(), kind.eq_ignore_ascii_case("integer")));
        }
        table.columns.push(column);
        // Whatever isn't stored as it stands is computed.
        table.computes |= row.get::<_, i64>(6)? != 0;
    }
    if let [(column, true)] = &primary[..] {
        table.number_column = Some(column.clone());
    }
    let mut keys = connection.prepare(&format!("PRAGMA main.foreign_key_list({name})"))?;
    let mut rows = keys.query([])?;
    while let Some(row) = rows.next()? {
        table.refers.insert(row.get::<_, String>(2)?.to_lowercase());
    }
    let mut indexes = connection.prepare(&format!("PRAGMA main.index_list({name})"))?;
    let mut rows = indexes.query([])?;
    let mut names: Vec<String> = Vec::new();
    while let Some(row) = rows.next()? {
        names.push(row.get(1)?);
        table.computes |= row.get::<_, i64>(4)? != 0;
    }
    for index in names {
        let sql = format!("PRAGMA main.index_xinfo({})", quoted(&index));
        let mut parts = connection.prepare(&sql)?;
        let mut rows = parts.query([])?;
        while let Some(row) = rows.next()? {
            // -2 stands for an expression, -1 for the row's number.
            table.computes |= row.get::<_, i64>(1)? == -2;
        }
    }
    Ok(table)
}
