//! What the core knows, in words.

use jolly_core::computer::Layout;
use jolly_core::decide::PileState;
use jolly_core::format::{Printable, Site};
pub(crate) use jolly_core::format::{age, bytes, count, counted};
use jolly_core::pile::AtOnce;
use jolly_core::plan::{SafetyCopies, SignInsLost};
use jolly_core::report::{Advice, Forecast, LittleFree};
use jolly_core::rule::AgeLimit;
use jolly_core::survey::{Extension, Figure, InPieces, Processors, Sign};

/// A size that is an estimate: "≈1.20 KiB".
pub(crate) fn about(size: u64) -> String {
    // Nothing is nothing, however it was told.
    let mark = if size == 0 { "" } else { "≈" };
    format!("{mark}{}", bytes(size))
}

/// A size, marked where it is an estimate.
pub(crate) fn size(size: u64, is_estimated: bool) -> String {
    if is_estimated {
        about(size)
    } else {
        bytes(size)
    }
}

/// That most of what was found is young because it came at once.
pub(crate) fn at_once(found: AtOnce) -> String {
    format!(
        "{} % of what was found came here within a day, {} ago; if this disk was imaged or restored: --aged-by modified",
        found.percent,
        age(found.ago)
    )
}

/// Who will have to sign in again, and on which sites.
pub(crate) fn signs_in_again(lost: &SignInsLost) -> String {
    let who = lost.account.as_ref().map_or("somebody", |name| name);
    let named: Vec<String> = lost.most_used.iter().map(Site::shown).collect();
    let more = lost.many - named.len();
    let more = if more > 0 {
        format!(" and {more} more")
    } else {
        String::new()
    };
    format!(
        "{} signs in again on {}: {}{more}",
        Printable(who.as_bytes()),
        counted(lost.many as u64, "site"),
        named.join(", ")
    )
}

/// How an extension leaves.
pub(crate) const HOW_TO_REMOVE: &str =
    "its browser's own page of extensions turns one off or removes it; nothing here does";

/// An extension in a line: whether it is on, where it came from, and what it may do.
pub(crate) fn extension_facts(one: &Extension) -> String {
    let state = if one.is_on { "on" } else { "off" };
    let may = if one.may.is_empty() {
        "asks for nothing that matters".to_owned()
    } else {
        one.may.join(", ")
    };
    let facts = format!("{state}, {}; {may}", one.origin.words());
    Printable(facts.as_bytes()).to_string()
}

/// What is copied before rows and values go.
pub(crate) fn copied_first(copies: &SafetyCopies) -> String {
    let profiles = counted(copies.profiles.len() as u64, "browser profile");
    let mut parts = Vec::new();
    if !copies.hives.is_empty() {
        parts.push(counted(copies.hives.len() as u64, "whole registry hive"));
    }
    if !copies.lists.is_empty() {
        let lists = counted(copies.lists.len() as u64, "whole list");
        parts.push(format!("{lists} of what opens what"));
    }
    if !copies.profiles.is_empty() {
        parts.push(format!("the bookmarks and logins of {profiles}"));
    }
    format!("the dustpan gets a copy of {}", parts.join(" and "))
}

/// So many copies.
pub(crate) fn counted_copies(many: u64) -> String {
    match many {
        1 => "1 copy".to_owned(),
        many => format!("{} copies", count(many)),
    }
}

/// A limit in words: "older than 3 months".
pub(crate) fn limit_words(limit: Option<AgeLimit>) -> String {
    limit.map_or_else(
        || "of any age".to_owned(),
        |limit| format!("older than {limit}"),
    )
}

/// What goes at a limit, in words: "what is older than 3 months".
pub(crate) fn goes_words(limit: Option<AgeLimit>) -> String {
    limit.map_or_else(
        || "all of it".to_owned(),
        |limit| format!("what is older than {limit}"),
    )
}

/// The age bands from one up to before another, in words: "3 to 6 months old".
pub(crate) fn band_words(first: usize, end: usize) -> String {
    let edge = |band: usize| AgeLimit::at_edge(band).map(|limit| limit.to_string());
    match (edge(first), edge(end)) {
        (None, None) => "of any age".to_owned(),
        (None, Some(old)) => format!("younger than {old}"),
        (Some(young), None) => format!("older than {young}"),
        (Some(young), Some(old)) => format!("between {young} and {old} old"),
    }
}

/// A pile's mark in words.
pub(crate) fn state_words(state: PileState) -> &'static str {
    match state {
        PileState::Taken => "taken",
        PileState::Part => "taken in part",
        PileState::Left => "left",
        PileState::Blocked => "can't be taken now",
    }
}

/// The day of a moment, seconds since 1970, where this machine stands: "2026-05-01".
pub(crate) fn day(day: jiff::civil::Date) -> String {
    day.strftime("%e %B %Y").to_string().trim().to_owned()
}

/// How long ago a moment is, both in seconds since 1970: "3 months ago".
pub(crate) fn since(at: i64, now: i64) -> String {
    let passed = now.saturating_sub(at).max(0).unsigned_abs();
    format!("{} ago", age(passed))
}

/// How pale something is drawn that was used last at a moment: by the edges of a month, three, a year, three years.
pub(crate) fn shade_of(touched: Option<i64>, now: i64) -> usize {
    const DAY: i64 = 86_400;
    const EDGES: [i64; 4] = [30 * DAY, 91 * DAY, 365 * DAY, 3 * 365 * DAY];
    let Some(touched) = touched else { return 0 };
    let passed = now.saturating_sub(touched);
    EDGES.iter().filter(|edge| passed >= **edge).count()
}

/// A day, from seconds since 1970.
pub(crate) fn date(seconds: i64) -> String {
    let moment = jiff::Timestamp::from_second(seconds);
    moment.map_or_else(
        |_| "at no known time".to_owned(),
        |moment| {
            moment
                .to_zoned(jiff::tz::TimeZone::system())
                .date()
                .to_string()
        },
    )
}

/// What the trash is called, and why it is a sign.
fn trash(layout: Layout) -> (&'static str, &'static str) {
    match layout {
        Layout::Windows => (
            "Recycle Bin",
            "It takes this space until the Recycle Bin is emptied.",
        ),
        Layout::Linux | Layout::Macos => {
            ("Trash", "It takes this space until the trash is emptied.")
        }
    }
}

/// What a first look counted: "350 MiB or more".
fn held(figure: &Figure) -> String {
    let more = if figure.is_least { " or more" } else { "" };
    format!("{}{more}", bytes(figure.bytes))
}

fn old_kernels(many: u64, held: u64) -> String {
    let many = counted(many, "kernel");
    format!("{many} replaced by newer ones: {}", bytes(held))
}

fn crash_reports(figure: &Figure) -> String {
    format!(
        "{}: {}",
        counted(figure.count, "crash report"),
        held(figure)
    )
}

/// How many files lie in several pieces.
pub(crate) fn in_pieces(pieces: &InPieces) -> String {
    let of = counted(pieces.files, "file");
    let least = if pieces.is_least { " looked at" } else { "" };
    format!(
        "{} % of {of}{least} lie in several pieces",
        pieces.percent()
    )
}

/// For which processors a program holds parts, and that they stay.
pub(crate) fn processors_in_words(processors: &Processors) -> String {
    let parts = processors.parts.iter();
    let parts = parts.map(|part| format!("{} {}", part.processor, bytes(part.bytes)));
    let parts: Vec<String> = parts.collect();
    let own = match (processors.own, processors.others()) {
        (Some(own), Some(others)) => {
            format!("; this computer is {own}, {} never run here", bytes(others))
        }
        _ => "; which one this computer has isn't known".to_owned(),
    };
    let stays = if processors.is_sealed {
        "it is signed as a whole, so all of it stays"
    } else {
        "they are seen, and stay"
    };
    format!("for several processors: {}{own}; {stays}", parts.join(", "))
}

fn unused_programs(many: u64, held: u64) -> String {
    let many = counted(many, "program");
    match held {
        0 => format!("{many} unused for a year"),
        held => format!("{many} unused for a year: {}", bytes(held)),
    }
}

/// A sign of the disk itself in words: with the source of the fact.
fn disk_sign(sign: &Sign) -> (String, &'static str) {
    match sign {
        Sign::DiskFailing(disk) => (
            format!("The disk {disk} says that it is failing"),
            "Copy what matters first, now; it said so itself when it was asked (smartctl).",
        ),
        Sign::DiskErrors(errors) => (
            format!("{} noted by the file system", counted(*errors, "error")),
            "The kernel counted them (errors_count): copy what matters first, then check the disk.",
        ),
        Sign::ReadOnlyByErrors => (
            "Its volume can only be read".to_owned(),
            "Mounted so (/proc/self/mountinfo), most likely after errors: check it before anything else.",
        ),
        Sign::InPieces(pieces) => (
            in_pieces(pieces),
            "On a disk that turns that makes reading slow.",
        ),
        _ => (String::new(), ""),
    }
}

/// What puts files together that lie in pieces.
pub(crate) fn mends_pieces(pieces: &InPieces) -> String {
    match &pieces.mends {
        Some(command) => format!(
            "`{command}` puts them together while the volume is mounted. On the system that runs here it is a chore that \
             can follow a sweep."
        ),
        None => "Its own system puts them together: its tool for that is started there.".to_owned(),
    }
}

/// A sign in words, as the layout's people say it: its figure, and why it matters.
pub(crate) fn sign(sign: &Sign, layout: Layout) -> (String, &'static str) {
    match sign {
        Sign::DiskFailing(_) | Sign::DiskErrors(_) | Sign::ReadOnlyByErrors | Sign::InPieces(_) => {
            disk_sign(sign)
        }
        Sign::VolumeFull(percent) => (
            format!("Volume {percent} % full"),
            "A system slows down and its updates fail when little is free.",
        ),
        Sign::Trash(account, figure, oldest) => {
            // That something came today says nothing.
            let oldest = oldest.filter(|oldest| *oldest >= 86_400);
            let oldest =
                oldest.map_or_else(String::new, |oldest| format!(", oldest {}", age(oldest)));
            let (trash, because) = trash(layout);
            let says = format!("{trash} of {account}: {}{oldest}", held(figure));
            (says, because)
        }
        Sign::PreviousSystem => (
            "The previous system is still there".to_owned(),
            "It is only needed to undo the last upgrade.",
        ),
        Sign::CrowdedTemp(figure) => (
            format!(
                "{} in the system's temp folders: {}",
                counted(figure.count, "file"),
                held(figure)
            ),
            "So many mean that nothing cleans them up.",
        ),
        Sign::UnusedHome(account, unused) => (
            format!("Home of {account} unused for {}", age(*unused)),
            "An unused home can be set aside.",
        ),
        Sign::Downloads(account, figure) => (
            format!("Downloads of {account}: {}", held(figure)),
            "Installers are seldom needed once their program is installed.",
        ),
        Sign::MemoryFile(name, held) => (
            format!("{name}: {}", bytes(*held)),
            "The system writes the memory there; how much is set in its own settings.",
        ),
        Sign::GrowingLog(path, held) => (
            format!("{path}: {}, never rotated", bytes(*held)),
            "A program keeps writing to it, and nothing rotates it.",
        ),
        Sign::OldKernels(many, held) => (
            old_kernels(*many, *held),
            "The package manager removes them; no rule here does.",
        ),
        Sign::Containers(figure) => (
            format!("Containers: {}", held(figure)),
            "Images that no container uses are removed by the containers' own program.",
        ),
        Sign::CrashReports(figure) => (
            crash_reports(figure),
            "Programs keep crashing; the names of the reports say which.",
        ),
        Sign::UnusedPrograms(count, held) => (
            unused_programs(*count, *held),
            "What is never started can often go.",
        ),
        Sign::StartsAtSignIn(count) => (
            format!("{} start at sign-in", counted(*count, "program")),
            "Each of them makes the start slower.",
        ),
    }
}

/// A piece of advice in words.
pub(crate) fn advice(advice: &Advice, layout: Layout) -> String {
    match advice {
        Advice::Sign(of) => {
            let (says, because) = sign(of, layout);
            format!("{says}. {because}")
        }
        Advice::LittleFree(percent, free) => format!(
            "Still {percent} % full, {} free. Think of a larger disk, or of moving what is kept.",
            bytes(*free)
        ),
        Advice::Restart(sum) => format!(
            "Restart it: {} in use, {}, can go afterwards.",
            counted(sum.items, "item"),
            bytes(sum.bytes)
        ),
        Advice::NextVisit(when, weekly, little) => format!(
            "Next visit by {}: at {} a week less than {little} is free then.",
            when.strftime("%B %Y"),
            bytes(weekly.max(&0).unsigned_abs())
        ),
    }
}

/// When little is free again, and what that is reckoned from.
pub(crate) fn full_again(forecast: Option<&Forecast>, now: i64, little: LittleFree) -> String {
    let Some(forecast) = forecast else {
        return "not known before two visits that lie a day apart".to_owned();
    };
    let basis = format!(
        "by {} over {}",
        counted(forecast.intervals, "interval"),
        age(forecast.over.max(0).unsigned_abs())
    );
    let weekly = bytes(forecast.weekly.max(0).unsigned_abs());
    match forecast.falls {
        Some(when) if when.as_second() <= now => format!("less than {little} is free now; {basis}"),
        Some(when) => {
            let in_time = (when.as_second() - now).max(0).unsigned_abs();
            let day = when.strftime("%b %Y");
            format!(
                "less than {little} free in {} ({day}), at {weekly} a week; {basis}",
                age(in_time)
            )
        }
        None if forecast.weekly <= 0 => format!("not to be seen: it doesn't fill; {basis}"),
        None => format!("not within ten years, at {weekly} a week; {basis}"),
    }
}
