//! Rows that go, with all that belongs to them: in one transaction, by what is known of their tables.

use std::collections::HashSet;

use rusqlite::Connection;

use crate::format::known_tables::{Becomes, Child, Parent, Pointer, Step};
use crate::source::holder::rows::Rows;
use crate::source::holder::rows::graph::Graph;
use crate::source::holder::rows::schema::{Schema, quoted};
use crate::source::holder::{Fingerprint, HolderError};

/// Rows of one table that are meant: those whose column is in a set of numbers.
#[derive(Clone, Copy)]
struct Meant<'a> {
    table: &'a str,
    column: &'a str,
    /// The temporary table that holds the numbers in its column `id`.
    set: &'a str,
}

impl Meant<'_> {
    fn condition(&self) -> String {
        format!(
            "{} IN (SELECT id FROM temp.{})",
            quoted(self.column),
            self.set
        )
    }
}

/// Has rows go; makes temporary tables as it needs them.
struct RowRemover<'a> {
    connection: &'a Connection,
    schema: &'a Schema,
    made: u32,
}

impl Rows {
    /// Removes rows, and makes sure that exactly these are gone.
    pub(super) fn remove(&mut self, gone: &HashSet<Fingerprint>) -> Result<(), HolderError> {
        let tables = self.tables();
        let watches = |table: &String| {
            self.graph(table)
                .known
                .is_some_and(|it| it.has_foreign_keys)
        };
        let foreign_keys = tables.iter().any(watches);
        let switch = format!("PRAGMA foreign_keys = {}", i32::from(foreign_keys));
        self.connection.execute_batch(&switch)?;
        self.connection.execute_batch("BEGIN IMMEDIATE")?;
        for table in &tables {
            let counted = |connection: &Connection| -> rusqlite::Result<i64> {
                let sql = format!("SELECT count(*) FROM main.{}", quoted(table));
                connection.query_row(&sql, [], |row| row.get(0))
            };
            let before = counted(&self.connection)?;
            let many = self.fill(table, gone)?;
            if many == 0 {
                continue;
            }
            let mut remover = RowRemover {
                connection: &self.connection,
                schema: &self.schema,
                made: 0,
            };
            remover.remove(&self.graph(table))?;
            if counted(&self.connection)? != before - many {
                return Err(HolderError::NotAsMeant);
            }
        }
        if foreign_keys {
            let mut check = self.connection.prepare("PRAGMA main.foreign_key_check")?;
            if check.exists([])? {
                return Err(HolderError::NotAsMeant);
            }
        }
        self.connection.execute_batch("COMMIT")?;
        Ok(())
    }

    /// Puts the numbers of the rows of a table that go into `gone`; how many there are.
    fn fill(&self, table: &str, gone: &HashSet<Fingerprint>) -> Result<i64, HolderError> {
        let batch =
            "DROP TABLE IF EXISTS temp.gone; CREATE TEMP TABLE gone(id INTEGER PRIMARY KEY)";
        self.connection.execute_batch(batch)?;
        let mut put = self
            .connection
            .prepare("INSERT INTO temp.gone VALUES(?1)")?;
        let mut many = 0;
        for (item, key) in self.items.iter().zip(&self.keys) {
            let is_of_table = item
                .table()
                .is_some_and(|it| it.eq_ignore_ascii_case(table));
            if is_of_table && gone.contains(&item.fingerprint) {
                put.execute([key])?;
                many += 1;
            }
        }
        Ok(many)
    }
}

impl RowRemover<'_> {
    fn remove(&mut self, graph: &Graph<'_>) -> rusqlite::Result<()> {
        let table = quoted(graph.table);
        // What they were is asked for when they are gone.
        self.run(&format!(
            "DROP TABLE IF EXISTS temp.gone_rows; \
             CREATE TEMP TABLE gone_rows AS SELECT * FROM main.{table} WHERE rowid IN (SELECT id FROM temp.gone)"
        ))?;
        let via = graph.parents.iter().map(|parent| parent.via);
        let inherited = graph
            .pointers
            .iter()
            .any(|it| it.becomes == Becomes::Inherited);
        let own = inherited.then_some("id");
        for column in via.chain(own) {
            if self.schema.has(&format!("{}.{column}", graph.table)) {
                let name = self.name();
                let column = quoted(column);
                self.run(&format!("CREATE INDEX temp.{name} ON gone_rows({column})"))?;
            }
        }
        let meant = Meant {
            table: graph.table,
            column: "rowid",
            set: "gone",
        };
        self.remove_rows(
            meant,
            "gone",
            &graph.children,
            graph.parents,
            graph.pointers,
        )
    }

    /// Removes rows and what belongs to them; `keys` holds their own keys.
    fn remove_rows(
        &mut self,
        meant: Meant<'_>,
        keys: &str,
        children: &[Child<'_>],
        parents: &[Parent<'_>],
        pointers: &[Pointer<'_>],
    ) -> rusqlite::Result<()> {
        for pointer in pointers {
            self.turn(pointer, meant, keys)?;
        }
        for child in children {
            self.remove_children(child, keys)?;
        }
        let mut touched = Vec::new();
        for parent in parents {
            if !self.schema.has_parent(meant.table, parent) {
                continue;
            }
            let name = self.set(&format!(
                "SELECT DISTINCT {0} FROM main.{1} WHERE {2} AND typeof({0}) = 'integer'",
                quoted(parent.via),
                quoted(meant.table),
                meant.condition()
            ))?;
            touched.push((parent, name));
        }
        self.run(&format!(
            "DELETE FROM main.{} WHERE {}",
            quoted(meant.table),
            meant.condition()
        ))?;
        for (parent, name) in touched {
            self.settle_parents(parent, &name)?;
        }
        Ok(())
    }

    fn remove_children(&mut self, child: &Child<'_>, keys: &str) -> rusqlite::Result<()> {
        if !self.schema.has(child.table) {
            return Ok(());
        }
        let meant = Meant {
            table: child.table,
            column: child.column,
            set: keys,
        };
        let needs_keys = !child.children.is_empty() || !child.pointers.is_empty();
        let own = if needs_keys {
            self.set(&format!(
                "SELECT {} FROM main.{} WHERE {}",
                quoted(child.key),
                quoted(child.table),
                meant.condition()
            ))?
        } else {
            keys.to_owned()
        };
        let (children, pointers) = (child.children, child.pointers);
        self.remove_rows(meant, &own, children, child.parents, pointers)
    }

    /// Sets right the parents of rows that are gone, and has those go that nothing belongs to any more.
    fn settle_parents(&mut self, parent: &Parent<'_>, touched: &str) -> rusqlite::Result<()> {
        self.run(&format!(
            "DROP TABLE IF EXISTS temp.touched; CREATE TEMP TABLE touched(id INTEGER PRIMARY KEY); \
             INSERT OR IGNORE INTO temp.touched SELECT id FROM temp.{touched}"
        ))?;
        run_steps(self.connection, self.schema, parent.recount)?;
        let gone = self.set(&format!(
            "SELECT rowid FROM main.{} WHERE rowid IN (SELECT id FROM temp.{touched}) AND ({})",
            quoted(parent.table),
            parent.goes_when
        ))?;
        for fading in parent.fading {
            let rows = &fading.rows;
            if !self.schema.has(rows.table) {
                continue;
            }
            let set = self.set(&format!(
                "SELECT rowid FROM main.{} WHERE {} IN (SELECT id FROM temp.{touched}) \
                 AND {1} NOT IN (SELECT id FROM temp.{gone}) AND ({}) AND ({})",
                quoted(rows.table),
                quoted(rows.column),
                fading.of,
                fading.goes_when
            ))?;
            let meant = Meant {
                table: rows.table,
                column: "rowid",
                set: &set,
            };
            self.remove_rows(meant, &set, rows.children, rows.parents, rows.pointers)?;
        }
        let meant = Meant {
            table: parent.table,
            column: "rowid",
            set: &gone,
        };
        let (children, parents) = (parent.children, parent.parents);
        self.remove_rows(meant, &gone, children, parents, parent.pointers)
    }

    /// Has surviving rows point to something else than rows that go.
    fn turn(
        &mut self,
        pointer: &Pointer<'_>,
        meant: Meant<'_>,
        keys: &str,
    ) -> rusqlite::Result<()> {
        let Pointer {
            table,
            column,
            becomes,
        } = *pointer;
        if !self.schema.has(&format!("{table}.{column}")) {
            return Ok(());
        }
        let is_same = table.eq_ignore_ascii_case(meant.table);
        let others = if is_same {
            format!(" AND NOT ({})", meant.condition())
        } else {
            String::new()
        };
        let (table, column) = (quoted(table), quoted(column));
        let to = match becomes {
            Becomes::Zero => "0".to_owned(),
            Becomes::Null => "NULL".to_owned(),
            Becomes::Inherited => format!(
                "coalesce((WITH RECURSIVE up(i) AS (SELECT g.{column} FROM temp.gone_rows g WHERE g.id = {table}.{column} \
                 UNION SELECT g.{column} FROM up JOIN temp.gone_rows g ON g.id = up.i) \
                 SELECT i FROM up WHERE i NOT IN (SELECT id FROM temp.{keys}) LIMIT 1), 0)"
            ),
        };
        self.run(&format!(
            "UPDATE main.{table} SET {column} = {to} WHERE {column} IN (SELECT id FROM temp.{keys}){others}"
        ))
    }

    /// Makes a set of numbers out of what a statement selects.
    fn set(&mut self, select: &str) -> rusqlite::Result<String> {
        let name = self.name();
        self.run(&format!(
            "CREATE TEMP TABLE {name}(id INTEGER PRIMARY KEY); INSERT OR IGNORE INTO temp.{name} {select}"
        ))?;
        Ok(name)
    }

    /// A name that no temporary table has yet.
    fn name(&mut self) -> String {
        loop {
            self.made += 1;
            let name = format!("set_{}", self.made);
            let sql = "SELECT 1 FROM sqlite_temp_schema WHERE name = ?1";
            let is_taken = self
                .connection
                .prepare_cached(sql)
                .and_then(|mut statement| statement.exists([&name]));
            if !is_taken.unwrap_or(false) {
                return name;
            }
        }
    }

    fn run(&self, sql: &str) -> rusqlite::Result<()> {
        self.connection.execute_batch(sql)
    }
}

/// Runs the steps that a database has everything for.
pub(super) fn run_steps(
    connection: &Connection,
    schema: &Schema,
    steps: &[Step<'_>],
) -> rusqlite::Result<()> {
    for step in steps {
        if step.needs.iter().all(|need| schema.has(need)) {
            connection.execute_batch(step.sql)?;
        }
    }
    Ok(())
}
