//! `startup`: what starts by itself, switched off and on.

use jolly_core::CancelToken;
use jolly_core::format::Printable;
use serde_json::json;

use crate::cli::{StartupCommand, print};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::Session;
use crate::startup::{StartRow, StartupError};
use crate::visits::refuse_sheets;
use crate::wording::bytes;

pub(super) fn run(
    options: &SharedOptions,
    command: Option<&StartupCommand>,
) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    match command {
        None => list(options, &session),
        Some(StartupCommand::Off { ids }) => switch(&session, ids, false),
        Some(StartupCommand::On { ids }) => switch(&session, ids, true),
    }
}

fn list(options: &SharedOptions, session: &Session) -> Result<Exit, Refusal> {
    let list = session.starts(&CancelToken::default());
    let list = list.map_err(|error| refuse_sheets(&error))?;
    if options.json {
        for row in &list.rows {
            print::json(&as_json(row))?;
        }
    } else {
        print::result(|out| list.rows.iter().try_for_each(|row| write_row(out, row)))?;
        let on = list.rows.iter().filter(|row| row.is_on).count();
        print::note(&match on {
            1 => "1 thing starts by itself".to_owned(),
            many => format!("{many} things start by themselves"),
        });
    }
    for unread in &list.unread {
        print::message(&format!("jolly-broom: not read: {unread}"));
    }
    Ok(Exit::Done)
}

fn write_row(out: &mut dyn std::io::Write, row: &StartRow) -> std::io::Result<()> {
    let mark = if row.is_on { "on " } else { "off" };
    let whose = row.account.as_deref().unwrap_or("system");
    let size = match row.bytes {
        0 => String::new(),
        held => format!("  {}", bytes(held)),
    };
    let runs = row.running.map_or_else(String::new, |runs| {
        format!("  runs, {} of memory", bytes(runs.memory))
    });
    let gone = if row.is_gone {
        "  its program is gone"
    } else {
        ""
    };
    let stays = row
        .stays
        .map_or_else(String::new, |why| format!("  stays: {why}"));
    let name = &row.name;
    let command = &row.command;
    writeln!(
        out,
        "{mark}  {whose:<10} {name:<24} {command}{size}{runs}{gone}{stays}"
    )?;
    writeln!(out, "       {}", row.id)
}

fn as_json(row: &StartRow) -> serde_json::Value {
    json!({
        "id": row.id,
        "name": row.name,
        "source": row.source,
        "account": row.account,
        "command": row.command,
        "on": row.is_on,
        "exists": !row.is_gone,
        "made_by": row.made_by,
        "bytes": row.bytes,
        "running": row.running.map(|runs| json!({
            "processes": runs.processes, "memory": runs.memory, "seconds": runs.seconds,
        })),
        "says": row.says,
        "changed": row.changed,
        "file": row.file,
        "stays": row.stays,
        "off_since": row.off_since,
    })
}

/// Switches some; each that can't be is told, and the others are.
fn switch(session: &Session, ids: &[String], on: bool) -> Result<Exit, Refusal> {
    let word = if on { "on" } else { "off" };
    let mut exit = Exit::Done;
    for id in ids {
        let shown = Printable(id.as_bytes()).to_string();
        match session.switch_start(id, on) {
            Ok(true) => print::message(&format!("{shown} is {word}")),
            Ok(false) => print::message(&format!("{shown} is {word} already")),
            Err(StartupError::NoSuch(_)) if ids.len() == 1 => {
                return Err(Refusal::bad_words(
                    &format!("nothing that starts here is called {shown}"),
                    "`jolly-broom startup` names them all",
                ));
            }
            Err(error) => {
                print::message(&format!(
                    "jolly-broom: {shown}: {}",
                    jolly_core::error_chain(&error)
                ));
                exit = Exit::SomeStayed;
            }
        }
    }
    if exit == Exit::Done {
        print::note(if session.target.is_live {
            "  it counts from the next sign-in or start on"
        } else {
            "  it counts when that system starts the next time"
        });
    }
    Ok(exit)
}
