//! `programs`: the programs of a target by its own records, and what each really occupies.

use jiff::Timestamp;
use jolly_core::format::Printable;
use jolly_core::survey::{Footprint, Program, Sites, programs};
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::{Session, clock};
use crate::wording::{age, bytes};

pub(super) fn run(options: &SharedOptions) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let now = session.now.unwrap_or_else(clock);
    let cancel = print::cancel_on_interrupt()?;
    let mut found = programs(&session.target, &cancel);
    if cancel.is_cancelled() {
        return Ok(Exit::Stopped);
    }
    for (path, why) in &found.unread {
        print::message(&format!("not read  {path}: {}", Printable(why.as_bytes())));
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
