//! What starts a program that is gone, and settings that can't be read: desktop entries (the
//! desktop entry specification) and property lists.

pub(super) mod recent_link;

use jolly_disk::Kind;

use crate::computer::{Presence, Target, TargetPath, presence, read_whole};
use crate::format::program_records::desktop_entry::{DesktopEntry, MOST_ENTRY};
use crate::format::{PROPERTY_LIST_MOST, PropertyList, Unreadable};
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

/// Where a system looks for a program that is named without its folder.
const PROGRAM_FOLDERS: &[&str] = words! {
    "usr/local/bin" "usr/local/sbin" "usr/bin" "usr/sbin" "bin" "sbin" "usr/games" "usr/local/games" "snap/bin"
    "var/lib/flatpak/exports/bin"
};

pub(crate) fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    if candidate.kind != Kind::File {
        return Finding::Not;
    }
    let name = candidate.name.to_bytes().to_ascii_lowercase();
    if name.ends_with(b".desktop") {
        return match read(target, candidate, MOST_ENTRY) {
            Some(bytes) => entry(target, candidate, &bytes),
            None => Finding::Unclear("a desktop entry can't be read"),
        };
    }
    if name.ends_with(b".plist") {
        return match read(target, candidate, PROPERTY_LIST_MOST) {
            Some(bytes) => property_list(target, candidate, &bytes),
            None => Finding::Unclear("a property list can't be read"),
        };
    }
    Finding::Not
}

/// The whole file; nothing when it can't be read or is longer than such a file is.
pub(super) fn read(target: &Target, candidate: &Candidate<'_>, most: u64) -> Option<Vec<u8>> {
    read_whole(&**target.disk(), candidate.folder, candidate.name, most).ok()
}

fn entry(target: &Target, candidate: &Candidate<'_>, bytes: &[u8]) -> Finding {
    let Ok(text) = std::str::from_utf8(bytes) else {
        return Finding::Unclear("a desktop entry isn't text");
    };
    let Some(program) = DesktopEntry::read(text).and_then(|entry| entry.program) else {
        return Finding::Not;
    };
    let account = candidate.search.account;
    let home = account
        .and_then(|at| target.accounts.get(at))
        .map(|account| &account.home);
    let is_gone = is_program_gone(target, home.into_iter(), &program);
    if is_gone {
        Finding::Is(Reason::ProgramGone(shown(program.as_bytes())))
    } else {
        Finding::Not
    }
}

/// Whether a program is surely gone that an entry names by its path, or by its name alone: then it is looked for where a
/// system looks, and below these homes.
pub(crate) fn is_program_gone<'h>(
    target: &Target,
    homes: impl Iterator<Item = &'h TargetPath>,
    program: &str,
) -> bool {
    if program.starts_with('/') {
        return presence(target, &TargetPath::root(), program.as_bytes()) == Presence::Gone;
    }
    let own = [".local/bin", "bin", ".local/share/flatpak/exports/bin"];
    let own = homes.flat_map(|home| own.map(|below| home.join(below.as_bytes())));
    let common = PROGRAM_FOLDERS
        .iter()
        .map(|folder| TargetPath::new(*folder));
    let mut all = own.chain(common).filter_map(Result::ok);
    all.all(|folder| presence(target, &folder, program.as_bytes()) == Presence::Gone)
}

fn property_list(target: &Target, candidate: &Candidate<'_>, bytes: &[u8]) -> Finding {
    let list = match PropertyList::read(bytes) {
        Ok(list) => list,
        Err(Unreadable::Broken) => return Finding::Is(Reason::Unreadable),
        Err(Unreadable::TooMuch) => {
            return Finding::Unclear("a property list is longer than one should be");
        }
    };
    let parent = candidate.path.parent().unwrap_or_default();
    let is_launcher = [&b"LaunchAgents"[..], b"LaunchDaemons"]
        .iter()
        .any(|name| parent.name().eq_ignore_ascii_case(name));
    let program = list
        .text("Program")
        .or_else(|| list.texts("ProgramArguments").next());
    match program {
        Some(program)
            if is_launcher
                && program.starts_with('/')
                && presence(target, &TargetPath::root(), program.as_bytes()) == Presence::Gone =>
        {
            Finding::Is(Reason::ProgramGone(shown(program.as_bytes())))
        }
        _ => Finding::Not,
    }
}
