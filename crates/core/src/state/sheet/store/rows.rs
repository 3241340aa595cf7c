//! Sheets as rows, and back.

use std::collections::BTreeSet;
use std::path::PathBuf;

use jiff::Timestamp;
use rusqlite::{Connection, OptionalExtension as _, Transaction, params};
use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::computer::Target;
use crate::state::sheet::SAME_VISIT;
use crate::state::{Sheet, SheetId, Visit, VisitRun};

/// Visits that a sheet keeps; older ones are dropped.
const MOST_VISITS: i64 = 500;

/// The row of a computer, as it is now.
pub(super) fn note_computer(
    change: &Transaction<'_>,
    target: &Target,
) -> rusqlite::Result<SheetId> {
    let identity = target.identity().as_str();
    let id = SheetId::of(identity);
    change.execute(
        "INSERT INTO computer (id, identity, label, layout, root, name) VALUES (?1, ?2, ?3, ?4, ?5, ?6)
         ON CONFLICT (id) DO UPDATE SET label = excluded.label, layout = excluded.layout, root = excluded.root
         WHERE identity = excluded.identity",
        params![
            &*id,
            identity,
            target.label,
            target.layout.name(),
            target.root_path().to_str(),
            // Whoever names it otherwise has the last word.
            target.owner.as_deref().unwrap_or_default()
        ],
    )?;
    Ok(id)
}

/// The visit that is under way since a moment: the last one, where nothing was swept at it and it is not long ago.
pub(super) fn visit_of(
    change: &Transaction<'_>,
    target: &Target,
    began: Timestamp,
) -> rusqlite::Result<i64> {
    let id = note_computer(change, target)?;
    let own = began.as_second();
    let known: Option<i64> = change
        .query_row(
            "SELECT id FROM visit WHERE computer = ?1 AND started <= ?2 AND (started = ?2 OR (started > ?2 - ?3
                 AND NOT EXISTS (SELECT 1 FROM run WHERE run.visit = visit.id)))
             ORDER BY started DESC LIMIT 1",
            params![&*id, own, SAME_VISIT],
            |row| row.get(0),
        )
        .optional()?;
    if let Some(known) = known {
        return Ok(known);
    }
    change.execute(
        "INSERT INTO visit (computer, started) VALUES (?1, ?2)",
        params![&*id, own],
    )?;
    let visit = change.last_insert_rowid();
    change.execute(
        "DELETE FROM visit WHERE computer = ?1 AND id NOT IN
             (SELECT id FROM visit WHERE computer = ?1 ORDER BY started DESC LIMIT ?2)",
        params![&*id, MOST_VISITS],
    )?;
    Ok(visit)
}

/// A visit lasts until the last that was noted of it; a clock that went backwards makes it no shorter.
pub(super) fn note_time(
    change: &Transaction<'_>,
    visit: i64,
    now: Timestamp,
) -> rusqlite::Result<()> {
    change.execute(
        "UPDATE visit SET seconds = max(seconds, ?2 - started) WHERE id = ?1",
        params![visit, now.as_second()],
    )?;
    Ok(())
}

pub(super) fn read_sheet(connection: &Connection, id: &SheetId) -> rusqlite::Result<Option<Sheet>> {
    let sheet = connection
        .query_row(
            "SELECT identity, label, layout, root, name, note, allowed, decided, switched FROM computer WHERE id = ?1",
            [&**id],
            |row| {
                Ok(Sheet {
                    sheet: id.clone(),
                    identity: row.get(0)?,
                    label: row.get(1)?,
                    layout: row.get::<_, String>(2)?.parse().unwrap_or_default(),
                    root: row.get::<_, Option<String>>(3)?.map(PathBuf::from),
                    name: row.get(4)?,
                    note: row.get(5)?,
                    rules_off: BTreeSet::new(),
                    // What can't be read allows nothing.
                    allowed: row
                        .get::<_, Option<String>>(6)?
                        .and_then(|text| serde_json::from_str(&text).ok()),
                    decided: list(&row.get::<_, String>(7)?),
                    switched: list(&row.get::<_, String>(8)?),
                    visits: Vec::new(),
                })
            },
        )
        .optional()?;
    let Some(mut sheet) = sheet else {
        return Ok(None);
    };
    let mut asked = connection.prepare_cached("SELECT rule FROM rule_off WHERE computer = ?1")?;
    let off = asked.query_map([&**id], |row| row.get(0))?;
    sheet.rules_off = off.collect::<Result<_, _>>()?;
    let mut asked = connection.prepare_cached(
        "SELECT id, started, seconds, size, used, free, is_whole, facts, signs, piles, decided FROM visit
         WHERE computer = ?1 ORDER BY started",
    )?;
    let visits = asked.query_map([&**id], |row| {
        let visit = Visit {
            started: moment(row.get(1)?),
            seconds: unsigned(row.get(2)?),
            size: unsigned(row.get(3)?),
            used: unsigned(row.get(4)?),
            free: unsigned(row.get(5)?),
            is_whole: row.get(6)?,
            facts: list(&row.get::<_, String>(7)?),
            signs: list(&row.get::<_, String>(8)?),
            piles: list(&row.get::<_, String>(9)?),
            runs: Vec::new(),
            decided: list(&row.get::<_, String>(10)?),
        };
        Ok((row.get::<_, i64>(0)?, visit))
    })?;
    for visit in visits {
        let (number, mut visit) = visit?;
        let mut asked = connection.prepare_cached(
            "SELECT run, ended, free, went, told FROM run WHERE visit = ?1 ORDER BY ended",
        )?;
        let runs = asked.query_map([number], |row| {
            Ok(VisitRun {
                run: row.get(0)?,
                ended: moment(row.get(1)?),
                free: unsigned(row.get(2)?),
                went: list(&row.get::<_, String>(3)?),
                told: serde_json::from_str(&row.get::<_, String>(4)?).unwrap_or_default(),
            })
        })?;
        visit.runs = runs.collect::<Result<_, _>>()?;
        sheet.visits.push(visit);
    }
    Ok(Some(sheet))
}

pub(super) fn take_in_one(change: &Transaction<'_>, sheet: &Sheet) -> rusqlite::Result<u64> {
    // The id follows from the identity, whatever a file says.
    let id = SheetId::of(&sheet.identity);
    change.execute(
        "INSERT INTO computer (id, identity, label, layout, name, note) VALUES (?1, ?2, ?3, ?4, ?5, ?6)
         ON CONFLICT (id) DO UPDATE SET name = iif(name = '', excluded.name, name),
             note = iif(note = '', excluded.note, note) WHERE identity = excluded.identity",
        params![
            &*id,
            sheet.identity,
            sheet.label,
            sheet.layout.name(),
            sheet.name,
            sheet.note
        ],
    )?;
    for rule in &sheet.rules_off {
        change.execute(
            "INSERT OR IGNORE INTO rule_off VALUES (?1, ?2)",
            [&*id, rule],
        )?;
    }
    let mut many = 0;
    for visit in &sheet.visits {
        let is_new = change.execute(
            "INSERT OR IGNORE INTO visit (computer, started, seconds, size, used, free, is_whole, facts, signs, piles)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
            params![
                &*id,
                visit.started.as_second(),
                signed(visit.seconds),
                signed(visit.size),
                signed(visit.used),
                signed(visit.free),
                visit.is_whole,
                json(&visit.facts),
                json(&visit.signs),
                json(&visit.piles)
            ],
        )?;
        if is_new == 0 {
            continue;
        }
        many += 1;
        let number = change.last_insert_rowid();
        for run in &visit.runs {
            change.execute(
                "INSERT OR IGNORE INTO run VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
                params![
                    number,
                    run.run,
                    run.ended.as_second(),
                    signed(run.free),
                    json(&run.went),
                    json_of(&run.told)
                ],
            )?;
        }
    }
    Ok(many)
}

/// One value as text.
pub(super) fn json_of<T: Serialize>(value: &T) -> String {
    // Texts and numbers can always be written.
    serde_json::to_string(value).unwrap_or_else(|_| "null".to_owned())
}

pub(super) fn json<T: Serialize>(value: &[T]) -> String {
    // Lists of texts and numbers can always be written.
    serde_json::to_string(value).unwrap_or_else(|_| "[]".to_owned())
}

/// What can't be read of a list is none: a rule that is gone, or a field of another version.
pub(super) fn list<T: DeserializeOwned>(text: &str) -> Vec<T> {
    serde_json::from_str(text).unwrap_or_default()
}

pub(super) fn signed(number: u64) -> i64 {
    i64::try_from(number).unwrap_or(i64::MAX)
}

pub(super) fn unsigned(number: i64) -> u64 {
    u64::try_from(number).unwrap_or(0)
}

pub(super) fn moment(seconds: i64) -> Timestamp {
    Timestamp::from_second(seconds).unwrap_or_default()
}
