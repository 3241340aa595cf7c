//! Databases whose rows are items: read and changed in memory alone, so that no path of somebody's profile is ever
//! opened by SQLite, and what takes the place of the old file is whole.
//!
//! `connection` opens an image so that nothing in it runs, `schema` says whether its tables are as they are known,
//! `read` lists rows, `export` and `put_back` are the way into a dustpan and back, `remove` has rows go with all that
//! belongs to them. What is known of a table is in `format/known_tables`.

mod around;
mod connection;
mod export;
mod graph;
mod put_back;
mod read;
mod remove;
mod row_function;
mod schema;
mod site_names;
mod value;

use std::collections::{BTreeSet, HashSet};
use std::sync::Arc;
use std::sync::atomic::Ordering;

use rusqlite::Connection;

use crate::cancel::CancelToken;
use crate::format::known_tables::KnownTable;
use crate::format::sqlite::{Image, mark_as_logged};
use crate::rule::RecordSet;
use crate::source::holder::rows::connection::MayCopy;
use crate::source::holder::rows::export::Exporter;
use crate::source::holder::rows::graph::Graph;
use crate::source::holder::rows::schema::Schema;
pub(crate) use crate::source::holder::rows::schema::SchemaError;
use crate::source::holder::{Fingerprint, Holder, HolderError, HolderItem, Refused};

/// Rows that are read from one database at most: real ones have some hundred thousand, and each takes memory.
const MOST_ROWS: usize = 4_000_000;

/// An open database.
pub(crate) struct Rows {
    connection: Connection,
    may_copy: MayCopy,
    schema: Schema,
    sets: Vec<Arc<RecordSet>>,
    items: Vec<HolderItem>,
    /// The number of each item's row, in the same order.
    keys: Vec<i64>,
    /// Rows that stay because something beside them needs them.
    unreadable: u64,
    /// Whether its program keeps a write-ahead log.
    keeps_log: bool,
    exporter: Option<Exporter>,
    /// Whether it was changed: then what was read of it doesn't hold any more.
    is_spent: bool,
}

/// A database that is only asked.
pub(crate) struct Database {
    connection: Connection,
    schema: Schema,
}

impl Database {
    pub(crate) fn open(image: &Image, cancel: &CancelToken) -> rusqlite::Result<Self> {
        let (connection, _) = connection::open(&image.bytes, cancel)?;
        let schema = Schema::read(&connection)?;
        Ok(Self { connection, schema })
    }

    /// Asks a question of tables and columns that it must have; each row of the answer is given once.
    pub(crate) fn ask(
        &self,
        needs: &[&str],
        sql: &str,
        each: &mut dyn FnMut(&rusqlite::Row<'_>) -> rusqlite::Result<()>,
    ) -> Result<(), HolderError> {
        for need in needs {
            let table = need.split('.').next().unwrap_or(need);
            if !self.schema.has(need) {
                return Err(SchemaError::Strange(table.to_owned()).into());
            }
            self.schema.check_runs(table)?;
        }
        let mut statement = self.connection.prepare(sql)?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            each(row)?;
        }
        Ok(())
    }
}

/// What lies beside a database and says more about it.
#[derive(Debug, Default)]
pub(crate) struct Beside {
    /// Addresses of bookmarked pages.
    pub bookmarked: BTreeSet<String>,
}

impl Rows {
    /// Opens an image and lists the rows of these sets; a row is of the first that fits it.
    ///
    /// # Errors
    /// When it isn't a whole database, or its tables aren't as they are known.
    pub(crate) fn open(
        image: Image,
        sets: &[Arc<RecordSet>],
        beside: &Beside,
        cancel: &CancelToken,
    ) -> Result<Self, HolderError> {
        let ((connection, may_copy), second) = connection::open_for_reading(&image.bytes, cancel)?;
        let keeps_log = image.keeps_log;
        drop(image);
        let schema = Schema::read(&connection)?;
        let mut rows = Self {
            connection,
            may_copy,
            schema,
            sets: sets.to_vec(),
            items: Vec::new(),
            keys: Vec::new(),
            unreadable: 0,
            keeps_log,
            exporter: None,
            is_spent: false,
        };
        rows.remember(beside)?;
        rows.read_all(second)?;
        Ok(rows)
    }

    /// Writes what lies beside it where statements can ask for it.
    fn remember(&self, beside: &Beside) -> rusqlite::Result<()> {
        self.connection
            .execute_batch("CREATE TEMP TABLE pin(url TEXT PRIMARY KEY)")?;
        let mut pin = self
            .connection
            .prepare("INSERT OR IGNORE INTO temp.pin VALUES(?1)")?;
        for address in &beside.bookmarked {
            pin.execute([address])?;
        }
        Ok(())
    }

    /// The tables of its sets, each once.
    fn tables(&self) -> Vec<String> {
        let mut tables: Vec<String> = Vec::new();
        for set in &self.sets {
            let is_known = |table: &String| table.eq_ignore_ascii_case(&set.table);
            if !tables.iter().any(is_known) {
                tables.push(set.table.clone());
            }
        }
        tables
    }

    fn graph<'a>(&'a self, table: &'a str) -> Graph<'a> {
        let sets = self.sets.iter().map(|set| &**set);
        Graph::of(
            table,
            sets.filter(move |set| set.table.eq_ignore_ascii_case(table)),
        )
    }

    /// Whether it is whole, as far as SQLite can tell.
    fn check_whole(&self) -> Result<(), HolderError> {
        let answer: String =
            self.connection
                .query_row("PRAGMA main.integrity_check(1)", [], |row| row.get(0))?;
        if answer == "ok" {
            Ok(())
        } else {
            Err(HolderError::Damaged)
        }
    }

    /// Compacts it, makes sure that it is whole, and gives its bytes.
    fn compacted(&mut self) -> Result<Vec<u8>, HolderError> {
        let before = schema::written(&self.connection)?;
        self.may_copy.store(true, Ordering::Relaxed);
        let compacted = self.connection.execute_batch("VACUUM");
        self.may_copy.store(false, Ordering::Relaxed);
        compacted?;
        self.check_whole()?;
        // SQLite opens tables whose text was altered that it loses without a word when it makes the file anew.
        if schema::written(&self.connection)? != before {
            return Err(HolderError::NotAsMeant);
        }
        let mut bytes = self.connection.serialize("main")?.to_vec();
        if self.keeps_log {
            mark_as_logged(&mut bytes);
        }
        Ok(bytes)
    }

    /// Nothing is asked of a database twice that was changed, or that has more tables than it came with.
    fn spend(&mut self) -> Result<(), HolderError> {
        if self.is_spent || self.exporter.is_some() {
            return Err(HolderError::NotAsMeant);
        }
        self.is_spent = true;
        Ok(())
    }
}

/// What is known of the tables of some sets.
pub(crate) fn known_tables(sets: &[Arc<RecordSet>]) -> impl Iterator<Item = &'static KnownTable> {
    sets.iter()
        .filter_map(|set| crate::format::known_tables::known_table(&set.table))
}

impl Holder for Rows {
    fn items(&self) -> &[HolderItem] {
        &self.items
    }

    fn unreadable(&self) -> u64 {
        self.unreadable
    }

    fn export(&mut self, at: usize) -> Result<Vec<u8>, HolderError> {
        self.export_row(at)
    }

    fn fingerprint_of(&self, exported: &[u8]) -> Option<Fingerprint> {
        export::ExportedRow::read(exported).map(|row| row.fingerprint())
    }

    fn without(&mut self, gone: &HashSet<Fingerprint>) -> Result<Vec<u8>, HolderError> {
        self.spend()?;
        self.check_whole()?;
        self.remove(gone)?;
        self.compacted()
    }

    fn with(&mut self, exported: &[Vec<u8>]) -> Result<(Vec<u8>, Refused), HolderError> {
        self.spend()?;
        self.check_whole()?;
        let refused = self.put_back(exported)?;
        Ok((self.compacted()?, refused))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::fuzz::{config, foreign};
    use crate::rule::{Epoch, RowSite, RowTime, TimeUnit};
    use crate::source::holder::rows::connection::READ_BY_TWO;

    /// A small history, and the log beside one that holds a visit more.
    fn sample() -> (Vec<u8>, Vec<u8>) {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("History");
        let db = Connection::open(&path).unwrap();
        db.execute_batch(
            "PRAGMA page_size = 512; PRAGMA journal_mode = WAL; \
             CREATE TABLE urls(id INTEGER PRIMARY KEY, url TEXT, visit_count INTEGER, typed_count INTEGER, last_visit_time INTEGER); \
             CREATE TABLE visits(id INTEGER PRIMARY KEY, url INTEGER, visit_time INTEGER, from_visit INTEGER); \
             INSERT INTO urls VALUES(1, 'https://tides.example/a', 1, 0, 13000000000000000); \
             INSERT INTO visits VALUES(1, 1, 13000000000000000, 0); PRAGMA wal_checkpoint(TRUNCATE); \
             INSERT INTO visits VALUES(2, 1, 13000000000000001, 1);",
        )
        .unwrap();
        let read = |name: &str| std::fs::read(dir.path().join(name)).unwrap();
        (read("History"), read("History-wal"))
    }

    fn visits() -> Arc<RecordSet> {
        Arc::new(RecordSet {
            time: Some(RowTime {
                of: None,
                columns: vec!["visit_time".to_owned()],
                epoch: Epoch::Y1601,
                unit: TimeUnit::Microseconds,
            }),
            site: Some(RowSite::Of {
                table: "urls".to_owned(),
                column: "url".to_owned(),
                by: "url".to_owned(),
            }),
            ..(*RecordSet::all_of("visits")).clone()
        })
    }

    /// Rows of a database that two threads read are each told once, in the order of their keys, wherever those lie.
    #[test]
    fn a_large_database_is_read_by_two_and_every_row_once() {
        for keys in [
            &[i64::MIN, -5, 0, 3, 4, 1 << 40, i64::MAX][..],
            &[i64::MAX],
            &[7, 8],
            &[],
        ] {
            let mut db = Connection::open_in_memory().unwrap();
            db.execute_batch(
                "CREATE TABLE urls(id INTEGER PRIMARY KEY, url TEXT, visit_count INTEGER, typed_count INTEGER, last_visit_time INTEGER); \
                 CREATE TABLE visits(id INTEGER PRIMARY KEY, url INTEGER, visit_time INTEGER, from_visit INTEGER); \
                 INSERT INTO urls VALUES(1, 'https://tides.example/a', 1, 0, 13000000000000000); \
                 CREATE TABLE filling(bytes BLOB); INSERT INTO filling VALUES(zeroblob(17000000));",
            )
            .unwrap();
            for key in keys {
                let sql = "INSERT INTO visits VALUES(?1, 1, 13000000000000000, 0)";
                db.execute(sql, [key]).unwrap();
            }
            let bytes = db.serialize("main").unwrap().to_vec();
            assert!(bytes.len() > READ_BY_TWO);
            let image = Image::new(bytes, &[]).unwrap();
            let rows = Rows::open(
                image,
                &[visits()],
                &Beside::default(),
                &CancelToken::default(),
            )
            .unwrap();
            assert_eq!(rows.keys, keys);
            assert_eq!(rows.items.len(), keys.len());
        }
    }

    /// A table whose text doesn't begin as SQLite writes it is lost when SQLite compacts: the file stays as it is.
    #[test]
    fn a_database_that_would_lose_a_table_is_left_alone() {
        for (written, altered) in [
            ("CREATE TABLE visits", "cREATE TABLE visits"),
            ("CREATE TABLE notes", "CrEATE TABLE notes"),
            ("CREATE INDEX by_time", "CReATE INDEX by_time"),
        ] {
            let mut db = Connection::open_in_memory().unwrap();
            db.execute_batch(
                "CREATE TABLE urls(id INTEGER PRIMARY KEY, url TEXT, visit_count INTEGER, typed_count INTEGER, last_visit_time INTEGER); \
                 CREATE TABLE visits(id INTEGER PRIMARY KEY, url INTEGER, visit_time INTEGER, from_visit INTEGER); \
                 CREATE TABLE notes(text TEXT); CREATE INDEX by_time ON visits(visit_time); \
                 INSERT INTO notes VALUES('keep me'); \
                 INSERT INTO urls VALUES(1, 'https://tides.example/a', 1, 0, 13000000000000000); \
                 INSERT INTO visits VALUES(1, 1, 13000000000000000, 0);",
            )
            .unwrap();
            let bytes = db.serialize("main").unwrap().to_vec();
            let (from, to) = (written.as_bytes(), altered.as_bytes());
            let at = bytes.windows(from.len()).position(|part| part == from);
            let at = at.unwrap();
            let damaged = [&bytes[..at], to, &bytes[at + from.len()..]].concat();
            let without_all = |bytes: Vec<u8>| {
                let mut rows = Rows::open(
                    Image::new(bytes, &[]).unwrap(),
                    &[visits()],
                    &Beside::default(),
                    &CancelToken::default(),
                )
                .unwrap();
                let gone = rows.items.iter().map(|item| item.fingerprint).collect();
                rows.without(&gone)
            };
            assert!(without_all(bytes).is_ok());
            assert!(without_all(damaged).is_err(), "{altered}");
        }
    }

    /// Whatever a file holds, it is refused, or what goes is exactly what was listed.
    #[test]
    fn fuzz_databases() {
        let (database, log) = sample();
        let mut runner = proptest::test_runner::TestRunner::new(config());
        let logs =
            prop_oneof![3 => Just(log.clone()), 1 => foreign(&[&log]), 1 => Just(Vec::new())];
        let files = prop_oneof![1 => Just(database.clone()), 4 => foreign(&[&database])];
        let ran = runner.run(&(files, logs), |(database, log)| {
            let open = || {
                let image = Image::new(database.clone(), &log).ok()?;
                Rows::open(
                    image,
                    &[visits()],
                    &Beside::default(),
                    &CancelToken::default(),
                )
                .ok()
            };
            let Some(mut rows) = open() else {
                return Ok(());
            };
            let all = rows.items.clone();
            let gone: HashSet<Fingerprint> = all.iter().take(1).map(|it| it.fingerprint).collect();
            if let Ok(bytes) = rows.without(&gone) {
                let image = Image::new(bytes, &[]).unwrap();
                let left = Rows::open(
                    image,
                    &[visits()],
                    &Beside::default(),
                    &CancelToken::default(),
                )
                .unwrap();
                let kept = all.iter().filter(|item| !gone.contains(&item.fingerprint));
                prop_assert_eq!(left.items.len(), kept.count());
            }
            Ok(())
        });
        ran.unwrap();
    }
}
