//! A database in memory, opened so that nothing written in it can run.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use rusqlite::Connection;
use rusqlite::config::DbConfig;
use rusqlite::hooks::{AuthAction, AuthContext, Authorization};
use rusqlite::limits::Limit;

use crate::cancel::CancelToken;
use crate::source::holder::rows::row_function;

/// After this nothing of one database is waited for any more.
const LONGEST: Duration = Duration::from_mins(10);

/// Instructions of SQLite between two looks at the clock.
const LOOKS: i32 = 1 << 20;

/// The longest value that is read, in bytes: addresses and titles have some thousand, icons some hundred thousand.
const MOST_VALUE: i32 = 64 << 20;

/// Whether a database that is being compacted may be copied within the memory.
pub(super) type MayCopy = Arc<AtomicBool>;

/// Opens an image. Triggers, views, extensions and functions with effects are off; statements may read, delete, update,
/// insert and make temporary tables, and nothing else.
pub(super) fn open(image: &[u8], cancel: &CancelToken) -> rusqlite::Result<(Connection, MayCopy)> {
    let mut connection = Connection::open_in_memory()?;
    for (config, on) in [
        (DbConfig::SQLITE_DBCONFIG_DEFENSIVE, true),
        (DbConfig::SQLITE_DBCONFIG_TRUSTED_SCHEMA, false),
        (DbConfig::SQLITE_DBCONFIG_ENABLE_TRIGGER, false),
        (DbConfig::SQLITE_DBCONFIG_ENABLE_VIEW, false),
    ] {
        connection.set_db_config(config, on)?;
    }
    for (limit, most) in [
        (Limit::SQLITE_LIMIT_LENGTH, MOST_VALUE),
        (Limit::SQLITE_LIMIT_ATTACHED, 1),
        (Limit::SQLITE_LIMIT_COLUMN, 256),
        (Limit::SQLITE_LIMIT_EXPR_DEPTH, 100),
        (Limit::SQLITE_LIMIT_TRIGGER_DEPTH, 1),
        (Limit::SQLITE_LIMIT_LIKE_PATTERN_LENGTH, 100),
    ] {
        connection.set_limit(limit, most)?;
    }
    connection.execute_batch("PRAGMA temp_store = MEMORY; PRAGMA cell_size_check = ON;")?;
    connection.deserialize_read_exact("main", image, image.len(), false)?;
    connection.execute_batch("PRAGMA secure_delete = ON;")?;
    let until = Instant::now() + LONGEST;
    let cancel = cancel.clone();
    let is_over = move || cancel.is_cancelled() || Instant::now() > until;
    connection.progress_handler(LOOKS, Some(is_over))?;
    let may_copy = MayCopy::default();
    let copies = Arc::clone(&may_copy);
    let judge = move |asked: AuthContext<'_>| judge(&asked, copies.load(Ordering::Relaxed));
    connection.authorizer(Some(judge))?;
    Ok((connection, may_copy))
}

/// From this many bytes on rows are read by two at once.
pub(super) const READ_BY_TWO: usize = 16 << 20;

/// Opens an image; a large one twice at once, for two to read.
pub(super) fn open_for_reading(
    image: &[u8],
    cancel: &CancelToken,
) -> rusqlite::Result<((Connection, MayCopy), Option<Connection>)> {
    if image.len() < READ_BY_TWO {
        return Ok((open(image, cancel)?, None));
    }
    std::thread::scope(|scope| {
        let second = scope.spawn(|| open(image, cancel));
        let first = open(image, cancel)?;
        // Without a second one the first reads all.
        let second = second.join().ok().and_then(Result::ok);
        Ok((first, second.map(|(connection, _)| connection)))
    })
}

/// Says of each part of a statement whether it may be.
fn judge(asked: &AuthContext<'_>, may_copy: bool) -> Authorization {
    let is_allowed = match asked.action {
        AuthAction::Select
        | AuthAction::Read { .. }
        | AuthAction::Recursive
        | AuthAction::Transaction { .. }
        | AuthAction::Savepoint { .. }
        | AuthAction::CreateTempTable { .. }
        | AuthAction::CreateTempIndex { .. }
        | AuthAction::DropTempTable { .. }
        | AuthAction::DropTempIndex { .. }
        | AuthAction::Reindex { .. } => true,
        AuthAction::Delete { table_name }
        | AuthAction::Insert { table_name }
        | AuthAction::Update { table_name, .. } => {
            may_copy || !is_of_schema(table_name) || asked.database_name == Some("temp")
        }
        AuthAction::Function { function_name } => may_copy || is_plain_function(function_name),
        AuthAction::Pragma { pragma_name, .. } => is_plain_pragma(pragma_name),
        // To compact a database SQLite copies it into one of its own, which has no name.
        AuthAction::Attach { filename } => may_copy && filename.is_empty(),
        AuthAction::Detach { .. }
        | AuthAction::CreateTable { .. }
        | AuthAction::CreateIndex { .. } => may_copy,
        _ => false,
    };
    if is_allowed {
        Authorization::Allow
    } else {
        Authorization::Deny
    }
}

fn is_of_schema(table: &str) -> bool {
    table.starts_with("sqlite_") && table != "sqlite_sequence"
}

fn is_plain_function(name: &str) -> bool {
    let known = ["count", "max", "min", "total", "coalesce", "like", "typeof"];
    known
        .iter()
        .chain(&[row_function::NAME])
        .any(|known| name.eq_ignore_ascii_case(known))
}

fn is_plain_pragma(name: &str) -> bool {
    [
        "foreign_keys",
        "foreign_key_check",
        "foreign_key_list",
        "index_list",
        "index_xinfo",
        "integrity_check",
        "quick_check",
        "table_xinfo",
        "user_version",
    ]
    .iter()
    .any(|known| name.eq_ignore_ascii_case(known))
}
