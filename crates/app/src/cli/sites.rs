//! `sites`: what web sites left in the browsers of a target, one line a site and profile.

use std::collections::HashSet;

use jiff::Timestamp;
use jolly_core::decide::Spot;
use jolly_core::format::{Printable, Site};
use jolly_core::survey::{Profile, SiteTraces, Sites, sites};
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::{Session, clock};
use crate::wording::age;

pub(super) fn run(options: &SharedOptions) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let kept: HashSet<Site> = (session.selection(options)?.exclusions.iter())
        .filter(|one| !one.is_suspended)
        .filter_map(|one| match &one.spares.spot {
            Some(Spot::Site(site)) => Some(site.clone()),
            _ => None,
        })
        .collect();
    let now = session.now.unwrap_or_else(clock);
    let cancel = print::cancel_on_interrupt()?;
    let found = sites(&session.target, &cancel);
    if cancel.is_cancelled() {
        return Ok(Exit::Stopped);
    }
    for (path, why) in &found.unread {
        print::message(&format!("not read  {path}: {why}"));
    }
    for one in &found.sites {
        if options.json {
            print::json(&as_json((&session, now), &found, one, &kept))?;
        } else {
            write((&session, now), &found, one, &kept)?;
        }
    }
    if found.sites.is_empty() && !options.json {
        print::message("no browser of this computer knows a site");
    }
    Ok(Exit::Done)
}

fn as_json(
    (session, now): (&Session, Timestamp),
    found: &Sites,
    one: &SiteTraces,
    kept: &HashSet<Site>,
) -> serde_json::Value {
    let profile = found.profiles.get(one.profile);
    let (suggested, evidence) = one.evidence(now);
    let used = one
        .all
        .last_used
        .and_then(|at| Timestamp::from_second(at).ok());
    json!({
        "site": one.site.as_str(),
        "account": Sites::account_name(&session.target, one.account),
        "profile": profile.map(|profile| profile.path.to_string()),
        "family": profile.map(|profile| profile.family),
        "cookies": one.all.cookies,
        "visits": one.all.visits,
        "last_used": used.map(|at| at.to_string()),
        "bytes": { "cache": one.cache, "storage": one.storage },
        "kept": kept.contains(&one.site),
        "suggested": suggested,
        "evidence": evidence,
    })
}

fn write(
    (session, now): (&Session, Timestamp),
    found: &Sites,
    one: &SiteTraces,
    kept: &HashSet<Site>,
) -> Result<(), Refusal> {
    let account = Sites::account_name(&session.target, one.account);
    let account = account.map_or("", |name| name);
    let profile = found.profiles.get(one.profile);
    let profile = profile.map(Profile::name).unwrap_or_default();
    let (suggested, evidence) = one.evidence(now);
    let mark = match (kept.contains(&one.site), suggested) {
        (true, _) => "kept",
        (false, true) => "keep?",
        (false, false) => "",
    };
    let since = |at: i64| (now.as_second() - at).max(0).unsigned_abs();
    let used = one.all.last_used.map(|at| age(since(at)));
    let used = used.map_or_else(String::new, |age| format!("{age} ago"));
    print::result(|out| {
        writeln!(
            out,
            "{mark:<6}{:<28} {:<10} {:<22} {:>5} cookies {:>6} visits  {used:<15} {}",
            one.site.shown(),
            Printable(account.as_bytes()).to_string(),
            profile,
            one.all.cookies,
            one.all.visits,
            evidence.join(", ")
        )
    })
}
