//! The store of all job sheets: one database of SQLite in the state folder. Each change is one transaction, so that two
//! programs at once, or one that dies, leave it whole.

mod file;
mod forget;
mod rows;

use std::collections::BTreeSet;
use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;

use jiff::Timestamp;
use jolly_disk::trusted_file;
use rusqlite::{Connection, Transaction, TransactionBehavior, params};

use crate::computer::Target;
use crate::state::sheet::store::file::{is_on_file_server, keep_copy};
use crate::state::sheet::store::rows::{
    json, json_of, note_computer, note_time, read_sheet, signed, take_in_one, visit_of,
};
use crate::state::{
    Allowance, Decided, Sheet, SheetId, StateError, StateFolder, SwitchedOff, VisitLook, VisitRun,
    VisitScan,
};

/// What tells such a database from others (`PRAGMA application_id`): the letters of `JBjs`.
const APPLICATION: i32 = 0x4a42_6a73;

/// How long another program that writes is waited for.
const PATIENCE: Duration = Duration::from_secs(20);

/// What makes each version out of the one before; the first makes it out of nothing.
const MIGRATIONS: &[&str] = &["
    CREATE TABLE computer (
        id TEXT PRIMARY KEY NOT NULL, identity TEXT NOT NULL UNIQUE, label TEXT NOT NULL, layout TEXT NOT NULL,
        root TEXT, name TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT '', allowed TEXT,
        decided TEXT NOT NULL DEFAULT '[]') STRICT;
    CREATE TABLE rule_off (
        computer TEXT NOT NULL REFERENCES computer(id) ON DELETE CASCADE, rule TEXT NOT NULL,
        PRIMARY KEY (computer, rule)) STRICT;
    CREATE TABLE visit (
        id INTEGER PRIMARY KEY, computer TEXT NOT NULL REFERENCES computer(id) ON DELETE CASCADE,
        started INTEGER NOT NULL, seconds INTEGER NOT NULL DEFAULT 0, size INTEGER NOT NULL DEFAULT 0,
        used INTEGER NOT NULL DEFAULT 0, free INTEGER NOT NULL DEFAULT 0, is_whole INTEGER NOT NULL DEFAULT 0,
        facts TEXT NOT NULL DEFAULT '[]', signs TEXT NOT NULL DEFAULT '[]', piles TEXT NOT NULL DEFAULT '[]',
        UNIQUE (computer, started)) STRICT;
    CREATE TABLE run (
        visit INTEGER NOT NULL REFERENCES visit(id) ON DELETE CASCADE, run TEXT NOT NULL, ended INTEGER NOT NULL,
        free INTEGER NOT NULL, went TEXT NOT NULL, PRIMARY KEY (visit, run)) STRICT;
", "
    ALTER TABLE run ADD COLUMN told TEXT NOT NULL DEFAULT '{}';
    ALTER TABLE visit ADD COLUMN decided TEXT NOT NULL DEFAULT '[]';
    ALTER TABLE computer ADD COLUMN switched TEXT NOT NULL DEFAULT '[]';
"];

/// Why the store can't be used. Nothing of it was changed.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum SheetError {
    #[error("the job sheets {} were written by a newer version of this program", path.display())]
    Newer { path: PathBuf },
    #[error("the job sheets {} are damaged, or no job sheets: {why}", path.display())]
    Damaged { path: PathBuf, why: String },
    #[error("the job sheets {} can't be {verb}", path.display())]
    Database {
        verb: &'static str,
        path: PathBuf,
        source: rusqlite::Error,
    },
    #[error("{} lies on a file server, where two benches could write at once and tear the job sheets", path.display())]
    FileServer { path: PathBuf },
    #[error("cannot keep a copy of the job sheets as {}", path.display())]
    Backup { path: PathBuf, source: io::Error },
    #[error("no job sheet is called \"{id}\"")]
    NoSuchSheet { id: String },
    #[error("\"{id}\" may be several job sheets")]
    Ambiguous { id: String },
    #[error(transparent)]
    State(#[from] StateError),
}

/// The store, opened.
pub struct SheetStore {
    connection: Connection,
    path: PathBuf,
}

impl SheetStore {
    /// Opens the store; makes it where there is none yet.
    ///
    /// # Errors
    /// When it can't be trusted, is damaged or newer, or lies on a file server.
    pub fn open(state: &StateFolder) -> Result<Self, SheetError> {
        state.make()?;
        Self::open_with(state, MIGRATIONS)
    }

    /// Opens the store to be read; nothing where there is none yet.
    ///
    /// # Errors
    /// As [`Self::open`].
    pub fn open_existing(state: &StateFolder) -> Result<Option<Self>, SheetError> {
        let path = state.sheet_store();
        let there = trusted_file(&path).map_err(StateError::from)?;
        there
            .map(|_| Self::open_with(state, MIGRATIONS))
            .transpose()
    }

    fn open_with(state: &StateFolder, migrations: &[&str]) -> Result<Self, SheetError> {
        let path = state.sheet_store();
        // Nobody else can have put another file there since.
        trusted_file(&path).map_err(StateError::from)?;
        if is_on_file_server(state.path()) {
            return Err(SheetError::FileServer { path });
        }
        let is_new = !path.exists();
        if is_new {
            match StateFolder::create(&path) {
                Ok(_) => {}
                // Another program has just made it.
                Err(_) if path.exists() => {}
                Err(error) => return Err(error.into()),
            }
        }
        let connection =
            Connection::open(&path).map_err(|source| failed(&path, "opened", source))?;
        let mut store = Self { connection, path };
        store.prepare(migrations)?;
        Ok(store)
    }

    fn prepare(&mut self, migrations: &[&str]) -> Result<(), SheetError> {
        let path = self.path.clone();
        let failed = |source| failed(&path, "read", source);
        self.connection.busy_timeout(PATIENCE).map_err(failed)?;
        let set = |name: &str, value: &str| self.connection.pragma_update(None, name, value);
        set("foreign_keys", "ON").map_err(failed)?;
        set("synchronous", "FULL").map_err(failed)?;
        // In one look: another program may be making it just now.
        let look = self.connection.unchecked_transaction().map_err(failed)?;
        let number = |query: &str| look.query_row(query, [], |row| row.get::<_, i64>(0));
        let tables = number("SELECT count(*) FROM sqlite_schema").map_err(failed)?;
        let version = number("PRAGMA user_version").map_err(failed)?;
        let application = number("PRAGMA application_id").map_err(failed)?;
        drop(look);
        let newest = version_of(migrations);
        let is_empty = version == 0 && tables == 0;
        if !is_empty && application != i64::from(APPLICATION) {
            let why = "it is a database of something else".to_owned();
            return Err(SheetError::Damaged { path, why });
        }
        if version > newest {
            return Err(SheetError::Newer { path });
        }
        if version < newest {
            self.migrate(migrations, is_empty)?;
        }
        let sound: String = self
            .connection
            .query_row("PRAGMA quick_check(1)", [], |row| row.get(0))
            .map_err(failed)?;
        if sound != "ok" {
            return Err(SheetError::Damaged { path, why: sound });
        }
        Ok(())
    }

    /// Brings the store to the newest version in one step; one that holds anything is copied before.
    fn migrate(&mut self, migrations: &[&str], is_empty: bool) -> Result<(), SheetError> {
        let path = self.path.clone();
        let failed = |source| failed(&path, "brought to this version", source);
        let change = self
            .connection
            .transaction_with_behavior(TransactionBehavior::Exclusive)
            .map_err(failed)?;
        // Another program may have done it meanwhile.
        let version: i64 = change
            .pragma_query_value(None, "user_version", |row| row.get(0))
            .map_err(failed)?;
        let done = usize::try_from(version).unwrap_or(0);
        if done >= migrations.len() {
            return Ok(());
        }
        if !is_empty {
            keep_copy(&path, version)?;
        }
        for migration in migrations.iter().skip(done) {
            change.execute_batch(migration).map_err(failed)?;
        }
        change
            .pragma_update(None, "application_id", APPLICATION)
            .map_err(failed)?;
        change
            .pragma_update(None, "user_version", version_of(migrations))
            .map_err(failed)?;
        change.commit().map_err(failed)
    }

    /// Where it lies.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The sheet of a computer; nothing when it was never here.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn of_computer(&self, identity: &str) -> Result<Option<Sheet>, SheetError> {
        let id = SheetId::of(identity);
        Ok(self.read(&id)?.filter(|sheet| sheet.identity == identity))
    }

    /// The sheet of this id, or whose id alone begins so.
    ///
    /// # Errors
    /// When there is none, or several, or it can't be read.
    pub fn find(&self, id: &str) -> Result<Sheet, SheetError> {
        let mut ids = self.ids()?;
        ids.retain(|known| !id.is_empty() && known.starts_with(id));
        let shown = || crate::format::Printable(id.as_bytes()).to_string();
        match &ids[..] {
            [] => Err(SheetError::NoSuchSheet { id: shown() }),
            [only] => {
                let read = self.read(only)?;
                read.ok_or_else(|| SheetError::NoSuchSheet { id: shown() })
            }
            _ => Err(SheetError::Ambiguous { id: shown() }),
        }
    }

    /// Every sheet, the one visited last first.
    ///
    /// # Errors
    /// When they can't be read.
    pub fn all(&self) -> Result<Vec<Sheet>, SheetError> {
        let mut sheets = Vec::new();
        for id in self.ids()? {
            sheets.extend(self.read(&id)?);
        }
        let last = |sheet: &Sheet| sheet.last_visit().map(|visit| visit.started);
        sheets.sort_by_key(|sheet| std::cmp::Reverse(last(sheet)));
        Ok(sheets)
    }

    fn ids(&self) -> Result<Vec<SheetId>, SheetError> {
        let failed = |source| failed(&self.path, "read", source);
        let mut asked = self
            .connection
            .prepare_cached("SELECT id FROM computer ORDER BY id")
            .map_err(failed)?;
        let ids = asked
            .query_map([], |row| row.get::<_, String>(0))
            .map_err(failed)?;
        let ids = ids.map(|id| id.map(SheetId::from));
        ids.collect::<Result<_, _>>().map_err(failed)
    }

    fn read(&self, id: &SheetId) -> Result<Option<Sheet>, SheetError> {
        read_sheet(&self.connection, id).map_err(|source| failed(&self.path, "read", source))
    }

    /// Changes the store in one transaction.
    fn change<T>(
        &mut self,
        deed: impl FnOnce(&Transaction<'_>) -> rusqlite::Result<T>,
    ) -> Result<T, SheetError> {
        let path = self.path.clone();
        let failed = |source| failed(&path, "written", source);
        let change = self
            .connection
            .transaction_with_behavior(TransactionBehavior::Immediate)
            .map_err(failed)?;
        let done = deed(&change).map_err(failed)?;
        change.commit().map_err(failed)?;
        Ok(done)
    }

    /// Turns rules off for a computer; all others count.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn set_rules_off(
        &mut self,
        target: &Target,
        off: &BTreeSet<String>,
    ) -> Result<(), SheetError> {
        self.change(|change| {
            let id = note_computer(change, target)?;
            change.execute("DELETE FROM rule_off WHERE computer = ?1", [&*id])?;
            for rule in off {
                change.execute("INSERT INTO rule_off VALUES (?1, ?2)", [&*id, rule])?;
            }
            Ok(())
        })
    }

    /// Says whose a computer is, and what there is to note of it.
    ///
    /// # Errors
    /// When there is no such sheet, or it can't be written.
    pub fn set_name(
        &mut self,
        id: &SheetId,
        name: &str,
        note: Option<&str>,
    ) -> Result<(), SheetError> {
        let many = self.change(|change| {
            change.execute(
                "UPDATE computer SET name = ?2, note = coalesce(?3, note) WHERE id = ?1",
                params![&**id, name, note],
            )
        })?;
        if many == 0 {
            return Err(SheetError::NoSuchSheet { id: id.to_string() });
        }
        Ok(())
    }

    /// Says what may go at a computer without a person; nothing may without it.
    ///
    /// # Errors
    /// When there is no such sheet, or it can't be written.
    pub fn allow(&mut self, id: &SheetId, allowed: Option<&Allowance>) -> Result<(), SheetError> {
        let text = allowed.map(json_of);
        let many = self.change(|change| {
            let set = "UPDATE computer SET allowed = ?2 WHERE id = ?1";
            change.execute(set, params![&**id, text])
        })?;
        if many == 0 {
            return Err(SheetError::NoSuchSheet { id: id.to_string() });
        }
        Ok(())
    }

    /// Remembers what a person decided about a computer's piles.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn remember(&mut self, target: &Target, decided: &[Decided]) -> Result<(), SheetError> {
        self.change(|change| {
            let id = note_computer(change, target)?;
            let set = "UPDATE computer SET decided = ?2 WHERE id = ?1";
            change.execute(set, params![&*id, json(decided)])?;
            Ok(())
        })
    }

    /// Notes what a first look at a computer told, in the visit that is under way since `began`.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn note_look(
        &mut self,
        target: &Target,
        began: Timestamp,
        look: &VisitLook,
    ) -> Result<(), SheetError> {
        self.change(|change| {
            let visit = visit_of(change, target, began)?;
            change.execute(
                "UPDATE visit SET facts = ?2, signs = ?3 WHERE id = ?1",
                params![visit, json(&look.facts), json(&look.signs)],
            )?;
            Ok(())
        })
    }

    /// Notes what a scan found, in the visit that is under way since `began`. What was found first stays, unless that
    /// was only a part.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn note_scan(
        &mut self,
        target: &Target,
        (began, now): (Timestamp, Timestamp),
        scan: &VisitScan,
    ) -> Result<(), SheetError> {
        self.change(|change| {
            let visit = visit_of(change, target, began)?;
            change.execute(
                "UPDATE visit SET size = ?2, used = ?3, free = ?4, is_whole = ?5, piles = ?6
                 WHERE id = ?1 AND is_whole = 0 AND NOT EXISTS (SELECT 1 FROM run WHERE run.visit = visit.id)",
                params![
                    visit,
                    signed(scan.volume.size),
                    signed(scan.volume.used),
                    signed(scan.volume.free),
                    scan.is_whole,
                    json(&scan.piles)
                ],
            )?;
            note_time(change, visit, now)
        })
    }

    /// Notes what is decided at the visit that is under way since `began`, for whoever goes on with it.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn note_decided(
        &mut self,
        target: &Target,
        began: Timestamp,
        decided: &[Decided],
    ) -> Result<(), SheetError> {
        self.change(|change| {
            let visit = visit_of(change, target, began)?;
            change.execute(
                "UPDATE visit SET decided = ?2 WHERE id = ?1",
                params![visit, json(decided)],
            )?;
            Ok(())
        })
    }

    /// Keeps what was turned off at a computer.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn set_switched(&mut self, target: &Target, off: &[SwitchedOff]) -> Result<(), SheetError> {
        self.change(|change| {
            let id = note_computer(change, target)?;
            let sql = "UPDATE computer SET switched = ?2 WHERE id = ?1";
            change.execute(sql, params![&*id, json(off)])?;
            Ok(())
        })
    }

    /// Notes a run, in the visit that is under way since `began`.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn note_run(
        &mut self,
        target: &Target,
        began: Timestamp,
        run: &VisitRun,
    ) -> Result<(), SheetError> {
        self.change(|change| {
            let visit = visit_of(change, target, began)?;
            change.execute(
                "INSERT OR REPLACE INTO run VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
                params![
                    visit,
                    run.run,
                    run.ended.as_second(),
                    signed(run.free),
                    json(&run.went),
                    json_of(&run.told)
                ],
            )?;
            note_time(change, visit, run.ended)
        })
    }

    /// Takes in sheets of another bench: visits that are known already stay as they are. Says how many visits are new.
    ///
    /// # Errors
    /// When it can't be written; then nothing of them is taken in.
    pub fn take_in(&mut self, sheets: &[Sheet]) -> Result<u64, SheetError> {
        self.change(|change| {
            let mut many = 0;
            for sheet in sheets {
                many += take_in_one(change, sheet)?;
            }
            Ok(many)
        })
    }
}

/// The version that migrations lead to.
fn version_of(migrations: &[&str]) -> i64 {
    i64::try_from(migrations.len()).unwrap_or(i64::MAX)
}

fn failed(path: &Path, verb: &'static str, source: rusqlite::Error) -> SheetError {
    let path = path.to_owned();
    match source.sqlite_error_code() {
        Some(rusqlite::ErrorCode::NotADatabase | rusqlite::ErrorCode::DatabaseCorrupt) => {
            SheetError::Damaged {
                path,
                why: source.to_string(),
            }
        }
        _ => SheetError::Database { verb, path, source },
    }
}

#[cfg(test)]
mod tests;
