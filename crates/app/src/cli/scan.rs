//! `scan`: the piles.

use std::io::{self, Write};

use clap::Args;
use jolly_core::CancelToken;
use jolly_core::decide::{Decisions, PileState, Scope, Spot};
use jolly_core::pile::{Scan, Sum};
use jolly_core::report::{ages_rows, visit_scan};
use jolly_core::rule::{Class, Survey};
use jolly_core::source::PileId;
use serde_json::{Value, json};

use crate::cli::{PictureOptions, print, report};
use crate::exit::{Exit, Refusal};
use crate::handover::draw_ages;
use crate::options::SharedOptions;
use crate::session::Session;
use crate::surveys::SurveyFinds;
use crate::visits::refuse_sheets;
use crate::wording::{at_once, bytes, count, counted, size};

/// What becomes of a scan besides being printed.
#[derive(Args)]
pub(super) struct ScanOptions {
    #[command(flatten)]
    picture: PictureOptions,
    /// Keep it in the computer's job sheet, as the interface and a sweep do
    #[arg(long)]
    keep_visit: bool,
}

pub(super) fn run(options: &SharedOptions, wished: &ScanOptions) -> Result<Exit, Refusal> {
    let picture = &wished.picture;
    let wanted = report::picture(picture)?;
    let cancel = print::cancel_on_interrupt()?;
    let session = Session::of_options(options)?;
    let (scan, decisions) = scanned(&session, options, &cancel)?;
    if options.json {
        print::json(&as_json(&scan, &decisions))?;
    } else {
        print::result(|out| write_table(out, &scan, &decisions))?;
    }
    if let Some(wanted) = wanted {
        let rows = ages_rows(&scan, &decisions);
        let drawn = draw_ages(session.shown_name(), scan.now, &rows);
        report::write_picture(&drawn, wanted, picture)?;
    }
    if wished.keep_visit {
        let kept = session.note_visit(None, &visit_scan(&scan, &decisions));
        kept.map_err(|error| refuse_sheets(&error))?;
    }
    Ok(if scan.is_partial {
        Exit::Stopped
    } else {
        Exit::Done
    })
}

/// Scans by the options, and decides by them.
pub(super) fn scanned(
    session: &Session,
    options: &SharedOptions,
    cancel: &CancelToken,
) -> Result<(Scan, Decisions), Refusal> {
    let selection = session.selection(options)?;
    let progress = print::Progress::new();
    // It takes a while, and unless somebody asks nothing of it may go.
    let finds = if selection.asks_for(&session.rules, Survey::LeftBehind) {
        session.leftovers(cancel).into()
    } else {
        SurveyFinds::default()
    };
    let scan = session.scan((None, finds), cancel, &|event| progress.scan(&event));
    progress.end();
    if let Some(found) = scan.at_once {
        print::note(&format!(
            "{}\n  by that, what was unpacked or copied here with old dates counts as old, too",
            at_once(found)
        ));
    }
    let decisions = Decisions::new(&scan, &selection)
        .map_err(|error| Refusal::bad_input(&error, "mend that exclusion"))?;
    for one in decisions.exclusions() {
        if one.exclusion.scope != Scope::Run {
            continue;
        }
        let (option, says) = match &one.exclusion.spares.spot {
            Some(Spot::Site(site)) => ("--keep-site", site.shown()),
            _ => ("--exclude", one.exclusion.spares.to_string()),
        };
        if one.reach.found.items == 0 {
            print::message(&format!("{option} {says} spares nothing of what was found"));
        } else if one.reach.is_everything(&scan) {
            print::message(&format!("{option} {says} spares all that was found"));
        }
    }
    Ok((scan, decisions))
}

fn as_json(scan: &Scan, decisions: &Decisions) -> Value {
    let target = &scan.target;
    let sum = |sum: Sum| json!({ "items": sum.items, "bytes": sum.bytes });
    let pile = |id: PileId| {
        let pile = scan.pile(id);
        let rule = scan.rules.rule(pile.rule);
        json!({
            "rule": rule.id,
            "title": rule.rule.title,
            "class": rule.rule.class.name(),
            "account": scan.account_name(pile),
            "state": decisions.state(scan, id).name(),
            "blocked_by": pile.blocked.as_ref().map(ToString::to_string),
            "age_limit": decisions.of(id).limit.map(|limit| limit.to_string()),
            "found": sum(pile.found()),
            "takes": sum(decisions.takes(id)),
            "bands": pile.bands,
            "estimated": scan.is_estimated(id),
        })
    };
    let unread = |unread: &jolly_core::walk::Unread| json!({ "place": unread.place, "reason": unread.reason, "count": unread.count });
    let volume = scan.volume;
    json!({
        "format": "jolly-broom/scan",
        "version": 1,
        "now": scan.now,
        "partial": scan.is_partial,
        "target": {
            "root": jolly_core::plan::TargetMark::of(target).root,
            "layout": target.layout.name(),
            "label": target.label,
        },
        "volume": { "size": volume.size, "used": volume.used, "free": volume.free },
        "accounts": target.accounts.iter().map(|account| &account.name).collect::<Vec<_>>(),
        "unread": scan.unread.iter().map(unread).collect::<Vec<_>>(),
        "piles": decisions.shown(scan).map(pile).collect::<Vec<_>>(),
        "totals": {
            "found": sum(decisions.found_in_all()),
            "takes": sum(decisions.takes_in_all()),
        },
    })
}

/// How many places that were not read are named unasked.
const UNREAD: usize = 8;

/// The piles as a table for people.
pub(super) fn write_table(
    out: &mut dyn Write,
    scan: &Scan,
    decisions: &Decisions,
) -> io::Result<()> {
    let found = decisions.found_in_all();
    let takes = decisions.takes_in_all();
    writeln!(
        out,
        "{} · {} · {}",
        scan.target.label,
        scan.target.layout.name(),
        root(scan)
    )?;
    let free = scan.volume.free;
    let after = free.saturating_add(takes.bytes);
    let (free, after) = (bytes(free), bytes(after));
    let sums = format!(
        "to sweep {} of {} found",
        bytes(takes.bytes),
        bytes(found.bytes)
    );
    writeln!(out, "{sums} · free {free} → {after}")?;
    for class in Class::ALL {
        let of_class: Vec<PileId> = decisions
            .shown(scan)
            .filter(|id| scan.rules.rule(scan.pile(*id).rule).rule.class == class)
            .collect();
        if of_class.is_empty() {
            continue;
        }
        let name = print::painted(class, class.name());
        writeln!(out, "\n{name}  {}", class.meaning())?;
        for id in of_class {
            write_pile(out, scan, decisions, id)?;
        }
    }
    if found.items == 0 {
        writeln!(out, "\nNothing has piled up where the rules look.")?;
    }
    if scan.guarded > 0 {
        writeln!(
            out,
            "\n{} guarded, so left out",
            counted(scan.guarded, "entry").replace("entrys", "entries")
        )?;
    }
    let shown = if print::talk().verbose {
        scan.unread.len()
    } else {
        UNREAD
    };
    for unread in scan.unread.iter().take(shown) {
        let times = if unread.count > 1 {
            format!(" ({})", count(unread.count))
        } else {
            String::new()
        };
        writeln!(out, "not read  {}: {}{times}", unread.place, unread.reason)?;
    }
    let more = scan.unread.len().saturating_sub(shown) as u64;
    if more > 0 {
        writeln!(
            out,
            "not read  {} more; -v names them",
            counted(more, "place")
        )?;
    }
    if scan.is_partial {
        writeln!(out, "\nThe scan was stopped: this is a part.")?;
    }
    Ok(())
}

fn root(scan: &Scan) -> String {
    jolly_core::plan::TargetMark::of(&scan.target).root
}

fn write_pile(
    out: &mut dyn Write,
    scan: &Scan,
    decisions: &Decisions,
    id: PileId,
) -> io::Result<()> {
    let pile = scan.pile(id);
    let rule = scan.rules.rule(pile.rule);
    let state = decisions.state(scan, id);
    let mark = match state {
        PileState::Taken => '●',
        PileState::Part => '◐',
        PileState::Left => '○',
        PileState::Blocked => '⊘',
    };
    let is_estimated = scan.is_estimated(id);
    let takes = match (state, decisions.takes(id)) {
        (PileState::Taken | PileState::Part, sum) if sum.items > 0 => size(sum.bytes, is_estimated),
        _ => "–".to_owned(),
    };
    let limit = decisions
        .of(id)
        .limit
        .map_or_else(|| "any age".to_owned(), |limit| limit.to_string());
    let note = pile
        .blocked
        .as_ref()
        .map(|why| format!("  {why}"))
        .unwrap_or_default();
    writeln!(
        out,
        "  {mark} {:<30} {:<10} {:>10} {:>10} of {:>10} {:>9}{note}  {}",
        rule.rule.title,
        scan.account_name(pile).unwrap_or("system"),
        limit,
        takes,
        size(pile.found().bytes, is_estimated),
        count(pile.found().items),
        rule.id,
    )
}
