//! `programs`: the programs of a target by its own records, and what each really occupies.

use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::format::Printable;
use jolly_core::survey::{
    Footprint, Grade, Inventory, Leftover, LeftoverFolder, Program, Sites, inventory, leftovers,
    programs,
};
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::{Session, clock};
use crate::wording::{age, bytes};

pub(super) fn run(left_behind: bool, options: &SharedOptions) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let now = session.now.unwrap_or_else(clock);
    let cancel = print::cancel_on_interrupt()?;
    let mut found = if left_behind {
        inventory(&session.target, &session.belongs, &cancel)
    } else {
        programs(&session.target, &session.belongs, &cancel)
    };
    if cancel.is_cancelled() {
        return Ok(Exit::Stopped);
    }
    for (path, why) in &found.unread {
        print::message(&format!("not read  {path}: {}", Printable(why.as_bytes())));
    }
    if left_behind {
        found.removed_here = session.removed_here();
        return what_is_left(&session, &found, now, &cancel, options.json);
    }
    found
        .programs
        .sort_by_key(|one| std::cmp::Reverse(one.bytes.all()));
    for one in &found.programs {
        if options.json {
            print::json(&as_json(&session, one))?;
        } else {
            write(one, now)?;
        }
    }
    if found.programs.is_empty() && !options.json {
        print::message("nothing on this computer says which programs it has");
    }
    Ok(Exit::Done)
}

fn as_json(session: &Session, one: &Program) -> serde_json::Value {
    let time = |at: Option<i64>| {
        let at = at.and_then(|at| Timestamp::from_second(at).ok());
        at.map(|at| at.to_string())
    };
    let footprint = |held: &Footprint| {
        json!({
            "path": held.path.to_string(),
            "account": Sites::account_name(&session.target, held.account),
            "evidence": held.evidence,
        })
    };
    json!({
        "name": one.name,
        "id": one.id,
        "version": one.version,
        "source": one.source,
        "maker": one.maker,
        "reason": one.reason,
        "installed": time(one.installed),
        "bytes": one.bytes,
        "last_used": time(one.last_used),
        "extensions": one.extensions,
        "processors": one.processors.as_ref().map(|it| json!({
            "parts": it.parts.iter().map(|part| json!({
                "processor": part.processor, "bytes": part.bytes,
            })).collect::<Vec<_>>(),
            "own": it.own, "others": it.others(), "sealed": it.is_sealed,
        })),
        "footprint": one.footprint.iter().map(footprint).collect::<Vec<_>>(),
    })
}

fn write(one: &Program, now: Timestamp) -> Result<(), Refusal> {
    let name = format!("{} {}", one.name, one.version);
    let name = Printable(name.as_bytes()).to_string();
    let since = |at: i64| age((now.as_second() - at).max(0).unsigned_abs());
    let used = one.last_used.map(since);
    let used = used.map_or_else(String::new, |age| format!("used {age} ago"));
    let size = |held: u64| {
        if held == 0 {
            "–".to_owned()
        } else {
            bytes(held)
        }
    };
    let held = [
        one.bytes.program,
        one.bytes.data,
        one.bytes.cache,
        one.bytes.logs,
    ];
    let [program, data, cache, logs] = held.map(size);
    print::result(|out| {
        writeln!(
            out,
            "{name:<40} {:>10}  program {program:>10}  data {data:>10}  cache {cache:>10}  logs {logs:>10}  {used}",
            bytes(one.bytes.all())
        )
    })
}

/// What programs that are gone left behind. It is only shown.
fn what_is_left(
    session: &Session,
    inventory: &Inventory,
    now: Timestamp,
    cancel: &CancelToken,
    is_json: bool,
) -> Result<Exit, Refusal> {
    let found = leftovers(&session.target, (inventory, &*session.belongs), now, cancel);
    if cancel.is_cancelled() {
        return Ok(Exit::Stopped);
    }
    for one in &found {
        if is_json {
            print::json(&left_as_json(session, one))?;
        } else {
            write_left(session, one)?;
        }
    }
    if found.is_empty() && !is_json {
        print::message("nothing on this computer looks like it was left behind");
    }
    Ok(Exit::Done)
}

fn left_as_json(session: &Session, one: &Leftover) -> serde_json::Value {
    let folder = |folder: &LeftoverFolder| {
        let changed = folder
            .changed
            .and_then(|at| Timestamp::from_second(at).ok());
        json!({
            "path": folder.path.to_string(),
            "account": Sites::account_name(&session.target, folder.account),
            "bytes": folder.bytes,
            "changed": changed.map(|at| at.to_string()),
            "for": folder.speaks_for,
            "against": folder.against,
        })
    };
    json!({
        "name": one.name,
        "grade": one.grade,
        "bytes": one.bytes(),
        "folders": one.folders.iter().map(folder).collect::<Vec<_>>(),
    })
}

fn write_left(session: &Session, one: &Leftover) -> Result<(), Refusal> {
    let grade = match one.grade {
        Grade::Sure => "sure",
        Grade::Likely => "likely",
        Grade::Unsure => "unsure",
    };
    let name = Printable(one.name.as_bytes()).to_string();
    print::result(|out| {
        writeln!(out, "{grade:<8}{name:<32} {:>10}", bytes(one.bytes()))?;
        for folder in &one.folders {
            let account = Sites::account_name(&session.target, folder.account);
            let account = account.map_or_else(String::new, |name| {
                format!("{}  ", Printable(name.as_bytes()))
            });
            let said = [("for", &folder.speaks_for), ("against", &folder.against)];
            let said = said.iter().filter(|(_, all)| !all.is_empty());
            let said: Vec<String> = said
                .map(|(side, all)| format!("{side}: {}", all.join(", ")))
                .collect();
            let said = Printable(said.join("; ").as_bytes()).to_string();
            writeln!(
                out,
                "        {account}{}  {}  {said}",
                folder.path,
                bytes(folder.bytes)
            )?;
        }
        Ok(())
    })
}
