//! `extensions`: what was added to the browsers of a target, one line an extension and profile.

use jolly_core::format::Printable;
use jolly_core::survey::{Extension, Sites, extensions};
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::Session;
use crate::wording::{HOW_TO_REMOVE, bytes, extension_facts};

pub(super) fn run(options: &SharedOptions) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let cancel = print::cancel_on_interrupt()?;
    let (found, unread) = extensions(&session.target, &cancel);
    if cancel.is_cancelled() {
        return Ok(Exit::Stopped);
    }
    for (path, why) in &unread {
        print::message(&format!("not read  {path}: {}", Printable(why.as_bytes())));
    }
    for one in &found {
        if options.json {
            print::json(&as_json(&session, one))?;
        } else {
            write(&session, one)?;
        }
    }
    if !options.json {
        print::message(if found.is_empty() {
            "nothing was added to the browsers of this computer"
        } else {
            HOW_TO_REMOVE
        });
    }
    Ok(Exit::Done)
}

fn as_json(session: &Session, one: &Extension) -> serde_json::Value {
    json!({
        "id": one.id,
        "name": one.name,
        "version": one.version,
        "account": Sites::account_name(&session.target, one.profile.account),
        "profile": one.profile.path.to_string(),
        "family": one.profile.family,
        "bytes": { "program": one.program, "storage": one.storage },
        "changed": one.changed.map(|at| at.to_string()),
        "may": one.may,
        "on": one.is_on,
        "source": one.origin,
    })
}

fn write(session: &Session, one: &Extension) -> Result<(), Refusal> {
    let account = Sites::account_name(&session.target, one.profile.account);
    let account = Printable(account.map_or(&b""[..], |name| name.as_bytes())).to_string();
    let name = format!("{} {}", one.name, one.version);
    let name = Printable(name.as_bytes()).to_string();
    let size = bytes(one.program.saturating_add(one.storage));
    let profile = one.profile.name();
    let facts = extension_facts(one);
    print::result(|out| {
        writeln!(
            out,
            "{name:<32} {account:<10} {profile:<22} {size:>10}  {facts}"
        )
    })
}
