//! Rows that come back out of a dustpan, into a database that may have moved on.

use std::collections::HashMap;

use rusqlite::{Connection, ErrorCode};

use crate::format::known_tables::{Becomes, Child, Parent, Pointer};
use crate::source::holder::rows::export::{ExportedRow, RowPart};
use crate::source::holder::rows::graph::Graph;
use crate::source::holder::rows::remove::run_steps;
use crate::source::holder::rows::schema::{Schema, quoted};
use crate::source::holder::rows::value::{Cell, RowValues};
use crate::source::holder::rows::{Rows, SchemaError};
use crate::source::holder::{HolderError, Refused};

/// Puts rows back one after the other.
struct RowRestorer<'a> {
    connection: &'a Connection,
    schema: &'a Schema,
    /// The numbers that parents have here, by table and the number that they had.
    parents: HashMap<(String, i64), i64>,
}

/// Why a row doesn't come back.
enum Hindrance {
    /// Something else stands where only one can.
    Taken,
    Error(HolderError),
}

impl From<rusqlite::Error> for Hindrance {
    fn from(error: rusqlite::Error) -> Self {
        if error.sqlite_error_code() == Some(ErrorCode::ConstraintViolation) {
            Self::Taken
        } else {
            Self::Error(error.into())
        }
    }
}

impl From<HolderError> for Hindrance {
    fn from(error: HolderError) -> Self {
        Self::Error(error)
    }
}

impl Rows {
    /// Puts exported rows back; the positions of those that something else stands in the way of.
    pub(super) fn put_back(&mut self, exported: &[Vec<u8>]) -> Result<Refused, HolderError> {
        let mut refused = Refused::new();
        self.connection.set_prepared_statement_cache_capacity(64);
        let tables = self.tables();
        let watches = |table: &String| {
            Graph::known(table)
                .known
                .is_some_and(|it| it.has_foreign_keys)
        };
        let foreign_keys = i32::from(tables.iter().any(watches));
        self.connection.execute_batch(&format!(
            "PRAGMA foreign_keys = {foreign_keys}; BEGIN IMMEDIATE"
        ))?;
        let mut back: HashMap<String, Vec<i64>> = HashMap::new();
        {
            let mut restorer = RowRestorer {
                connection: &self.connection,
                schema: &self.schema,
                parents: HashMap::new(),
            };
            for (at, bytes) in exported.iter().enumerate() {
                let Some(ExportedRow { part, .. }) = ExportedRow::read(bytes) else {
                    return Err(HolderError::NotAsMeant);
                };
                let of_set = tables
                    .iter()
                    .find(|table| part.table.eq_ignore_ascii_case(table));
                let table = of_set.ok_or(HolderError::NotAsMeant)?;
                self.connection.execute_batch("SAVEPOINT one")?;
                match restorer.put(&self.graph(table), &part) {
                    Ok(key) => back.entry(table.clone()).or_default().push(key),
                    Err(Hindrance::Taken) => {
                        self.connection.execute_batch("ROLLBACK TO one")?;
                        restorer.parents.clear();
                        refused.insert(at);
                    }
                    Err(Hindrance::Error(error)) => return Err(error),
                }
                self.connection.execute_batch("RELEASE one")?;
            }
        }
        for (table, keys) in back {
            self.count_back(&table, &keys)?;
        }
        self.connection.execute_batch("COMMIT")?;
        Ok(refused)
    }

    /// Has parents count what came back.
    fn count_back(&self, table: &str, keys: &[i64]) -> Result<(), HolderError> {
        self.connection.execute_batch(
            "DROP TABLE IF EXISTS temp.back; CREATE TEMP TABLE back(id INTEGER PRIMARY KEY)",
        )?;
        let mut put = self
            .connection
            .prepare("INSERT OR IGNORE INTO temp.back VALUES(?1)")?;
        for key in keys {
            put.execute([key])?;
        }
        for parent in Graph::known(table).parents {
            if self.schema.has_parent(table, parent) {
                run_steps(&self.connection, &self.schema, parent.count_back)?;
            }
        }
        Ok(())
    }
}

impl RowRestorer<'_> {
    /// Puts one row back with what is around it; its number.
    fn put(&mut self, graph: &Graph<'_>, part: &RowPart<'_>) -> Result<i64, Hindrance> {
        let mut values = part.row.clone();
        self.parents(&part.parents, graph.parents, &mut values)?;
        self.let_go(graph, &mut values)?;
        let key = self.insert(graph.table, part.key, &mut values)?;
        self.children(&part.children, &graph.children, key)?;
        self.point(part, graph.pointers, key)?;
        Ok(key)
    }

    /// Has a row point to nothing where that is not there; it will be pointed again when it comes back.
    fn let_go(&self, graph: &Graph<'_>, values: &mut RowValues) -> Result<(), Hindrance> {
        for (pointer, to) in graph.own_pointers() {
            let Some(key) = values.number(pointer.column).filter(|key| *key != 0) else {
                continue;
            };
            let sql = format!("SELECT 1 FROM main.{} WHERE rowid = ?1", quoted(to));
            if self.schema.has(to) && !self.connection.prepare_cached(&sql)?.exists([key])? {
                let nothing = match pointer.becomes {
                    Becomes::Null => Cell::Null,
                    Becomes::Zero | Becomes::Inherited => Cell::Integer(0),
                };
                values.set(pointer.column, nothing);
            }
        }
        Ok(())
    }

    /// Sees to it that what a row belongs to is there, and has it say so.
    fn parents(
        &mut self,
        parts: &[RowPart<'_>],
        known: &[Parent<'_>],
        values: &mut RowValues,
    ) -> Result<(), Hindrance> {
        for part in parts {
            let is_it = |parent: &&Parent<'_>| {
                parent.table.eq_ignore_ascii_case(&part.table) && parent.via == part.by
            };
            let Some(parent) = known.iter().find(is_it) else {
                return Err(HolderError::NotAsMeant.into());
            };
            let key = self.parent(parent, part)?;
            values.set(parent.via, Cell::Integer(key));
        }
        Ok(())
    }

    fn parent(&mut self, parent: &Parent<'_>, part: &RowPart<'_>) -> Result<i64, Hindrance> {
        let mut values = part.row.clone();
        let old = (parent.table.to_owned(), part.key.unwrap_or(0));
        let known = match self.parents.get(&old) {
            Some(known) => Some(*known),
            None => self.find(parent, &values)?,
        };
        let key = match known {
            Some(key) => key,
            None => self.make_parent(parent, part, &mut values)?,
        };
        self.parents.insert(old, key);
        let fading: Vec<Child<'_>> = parent.fading.iter().map(|fading| fading.rows).collect();
        self.children(&part.fading, &fading, key)?;
        Ok(key)
    }

    /// Makes a parent again that is gone; its number.
    fn make_parent(
        &mut self,
        parent: &Parent<'_>,
        part: &RowPart<'_>,
        values: &mut RowValues,
    ) -> Result<i64, Hindrance> {
        for column in parent.counted {
            let is_null = matches!(values.get(column), Some(Cell::Null) | None);
            // What nobody has counted yet has no last time, either, where none may be.
            let nothing = if is_null {
                Cell::Null
            } else {
                Cell::Integer(0)
            };
            values.set(column, nothing);
        }
        self.parents(&part.parents, parent.parents, values)?;
        let key = self.insert(parent.table, part.key, values)?;
        self.children(&part.children, parent.children, key)?;
        self.point(part, parent.pointers, key)?;
        Ok(key)
    }

    /// The number of a parent that is there already.
    fn find(&self, parent: &Parent<'_>, values: &RowValues) -> rusqlite::Result<Option<i64>> {
        let conditions = parent.unique.iter().enumerate();
        let conditions: Vec<String> = conditions
            .map(|(at, column)| format!("{} IS ?{}", quoted(column), at + 1))
            .collect();
        let sql = format!(
            "SELECT rowid FROM main.{} WHERE {}",
            quoted(parent.table),
            conditions.join(" AND ")
        );
        let asked = parent.unique.iter();
        let asked: Vec<&Cell> = asked
            .map(|column| values.get(column).unwrap_or(&Cell::Null))
            .collect();
        let mut statement = self.connection.prepare_cached(&sql)?;
        let mut rows = statement.query(rusqlite::params_from_iter(asked))?;
        rows.next()?.map(|row| row.get(0)).transpose()
    }

    /// Puts back what belongs to a row. What is there already, or whose place is taken, stays as it is.
    fn children(
        &mut self,
        parts: &[RowPart<'_>],
        known: &[Child<'_>],
        key: i64,
    ) -> Result<(), Hindrance> {
        for part in parts {
            let is_it = |child: &&Child<'_>| {
                child.table.eq_ignore_ascii_case(&part.table) && child.column == part.by
            };
            let Some(child) = known.iter().find(is_it) else {
                return Err(HolderError::NotAsMeant.into());
            };
            let mut values = part.row.clone();
            self.parents(&part.parents, child.parents, &mut values)?;
            values.set(child.column, Cell::Integer(key));
            let put = self.insert_row(child.table, None, &values, "OR IGNORE")?;
            if put == 0 {
                continue;
            }
            let own = values.number(child.key).unwrap_or(0);
            self.children(&part.children, child.children, own)?;
            self.point(part, child.pointers, own)?;
        }
        Ok(())
    }

    /// Has rows point to one again that did before it went, where they point nowhere else by now.
    fn point(&self, part: &RowPart<'_>, known: &[Pointer<'_>], key: i64) -> Result<(), Hindrance> {
        for pointing in &part.pointers {
            let is_it = |pointer: &&Pointer<'_>| {
                pointer.table == pointing.table && pointer.column == pointing.column
            };
            let Some(pointer) = known.iter().find(is_it) else {
                return Err(HolderError::NotAsMeant.into());
            };
            let column = quoted(pointer.column);
            let is_free = match pointer.becomes {
                Becomes::Null => format!("{column} IS NULL"),
                Becomes::Zero => format!("{column} = 0"),
                // It points further up by now, to what came before.
                Becomes::Inherited => format!("{column} < ?1"),
            };
            let sql = format!(
                "UPDATE main.{} SET {column} = ?1 WHERE rowid = ?2 AND ({is_free})",
                quoted(pointer.table)
            );
            let mut statement = self.connection.prepare_cached(&sql)?;
            statement.execute([key, pointing.key])?;
        }
        Ok(())
    }

    /// Inserts a row under its own number where that is free, or under a new one.
    fn insert(
        &self,
        table: &str,
        key: Option<i64>,
        values: &mut RowValues,
    ) -> Result<i64, Hindrance> {
        let sql = format!("SELECT 1 FROM main.{} WHERE rowid = ?1", quoted(table));
        let free = match key {
            Some(key) if !self.connection.prepare_cached(&sql)?.exists([key])? => Some(key),
            Some(_) | None => None,
        };
        if free.is_none()
            && let Some(alias) = self.schema.number_column(table)
        {
            values.set(alias, Cell::Null);
        }
        self.insert_row(table, free, values, "")?;
        Ok(self.connection.last_insert_rowid())
    }

    fn insert_row(
        &self,
        table: &str,
        key: Option<i64>,
        values: &RowValues,
        or: &str,
    ) -> Result<usize, Hindrance> {
        if values
            .iter()
            .any(|(column, _)| !self.schema.has(&format!("{table}.{column}")))
        {
            return Err(HolderError::Schema(SchemaError::Strange(table.to_owned())).into());
        }
        let columns = values.iter().map(|(column, _)| quoted(column));
        let mut columns: Vec<String> = columns.collect();
        let mut cells: Vec<&Cell> = values.iter().map(|(_, value)| value).collect();
        let number = key.map(Cell::Integer);
        // A column that stands for the number says it itself.
        if let (Some(number), None) = (&number, self.schema.number_column(table)) {
            columns.push("rowid".to_owned());
            cells.push(number);
        }
        let marks: Vec<String> = (1..=cells.len()).map(|at| format!("?{at}")).collect();
        let sql = format!(
            "INSERT {or} INTO main.{}({}) VALUES({})",
            quoted(table),
            columns.join(", "),
            marks.join(", ")
        );
        let mut statement = self.connection.prepare_cached(&sql)?;
        Ok(statement.execute(rusqlite::params_from_iter(cells))?)
    }
}
