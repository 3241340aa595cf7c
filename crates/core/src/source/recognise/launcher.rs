//! What starts a program that is gone, and settings that can't be read: desktop entries (the
//! desktop entry specification) and property lists.

pub(super) mod recent_link;

use jolly_disk::Kind;

use crate::computer::{Presence, Target, TargetPath, presence, read_whole};
use crate::format::{PROPERTY_LIST_MOST, PropertyList, Unreadable};
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

/// The most that is read of a desktop entry; translated names make them some ten kilobytes long.
const MOST_ENTRY: u64 = 256 * 1024;

/// Where a system looks for a program that is named without its folder.
const PROGRAM_FOLDERS: [&str; 10] = [
    "usr/local/bin",
    "usr/local/sbin",
    "usr/bin",
    "usr/sbin",
    "bin",
    "sbin",
    "usr/games",
    "usr/local/games",
    "snap/bin",
    "var/lib/flatpak/exports/bin",
];

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
    let Some(program) = started_by(text) else {
        return Finding::Not;
    };
    let is_gone = if program.starts_with('/') {
        presence(target, &TargetPath::root(), program.as_bytes()) == Presence::Gone
    } else {
        let home = candidate
            .search
            .account
            .and_then(|at| target.accounts.get(at))
            .map(|account| account.home.clone());
        let own = [".local/bin", "bin", ".local/share/flatpak/exports/bin"];
        let own = own
            .iter()
            .filter_map(|below| home.as_ref()?.join(below.as_bytes()).ok());
        let common = PROGRAM_FOLDERS
            .iter()
            .filter_map(|folder| TargetPath::new(*folder).ok());
        let mut all = own.chain(common);
        all.all(|folder| presence(target, &folder, program.as_bytes()) == Presence::Gone)
    };
    if is_gone {
        Finding::Is(Reason::ProgramGone(shown(program.as_bytes())))
    } else {
        Finding::Not
    }
}

/// The program that a desktop entry of the type `Application` starts; nothing when it starts none
/// or isn't written by the specification.
fn started_by(text: &str) -> Option<String> {
    let mut lines = text
        .lines()
        .map(str::trim)
        .filter(|line| !line.is_empty() && !line.starts_with('#'));
    lines.next().filter(|line| *line == "[Desktop Entry]")?;
    let keys: Vec<(&str, &str)> = lines
        .take_while(|line| !line.starts_with('['))
        .filter_map(|line| line.split_once('='))
        .map(|(key, value)| (key.trim(), value.trim()))
        .collect();
    let value = |wanted: &str| {
        let found = keys.iter().find(|(key, _)| *key == wanted);
        found.map(|(_, value)| *value)
    };
    if value("Type") != Some("Application") {
        return None;
    }
    let mut words = words(value("TryExec").or_else(|| value("Exec"))?)?.into_iter();
    // `env NAME=value program` starts the program.
    let is_setting = |word: &String| word.contains('=') || word == "env" || word.ends_with("/env");
    let program = words.find(|word| !is_setting(word))?;
    let is_name = !program.starts_with('-')
        && !program.contains(['%', '$', '`'])
        && (program.starts_with('/') || !program.contains('/'));
    is_name.then_some(program)
}

/// Splits a command as the specification quotes it.
fn words(command: &str) -> Option<Vec<String>> {
    let mut words = Vec::new();
    let mut word = String::new();
    let (mut is_quoted, mut is_word) = (false, false);
    let mut letters = command.chars();
    while let Some(letter) = letters.next() {
        match letter {
            '"' => {
                is_quoted = !is_quoted;
                is_word = true;
            }
            '\\' => {
                word.push(letters.next()?);
                is_word = true;
            }
            ' ' | '\t' if !is_quoted => {
                if is_word {
                    words.push(std::mem::take(&mut word));
                }
                is_word = false;
            }
            _ => {
                word.push(letter);
                is_word = true;
            }
        }
    }
    if is_word {
        words.push(word);
    }
    (!is_quoted).then_some(words)
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_started_program_is_read_by_the_specification() {
        let entry =
            |line: &str| started_by(&format!("[Desktop Entry]\nType=Application\n{line}\n"));
        assert_eq!(entry("Exec=knotbook %U").as_deref(), Some("knotbook"));
        assert_eq!(
            entry("Exec=\"/opt/tide watch/run\" -x").as_deref(),
            Some("/opt/tide watch/run")
        );
        assert_eq!(
            entry("Exec=env A=b /usr/bin/x").as_deref(),
            Some("/usr/bin/x")
        );
        assert_eq!(entry("Exec=x\nTryExec=/opt/y").as_deref(), Some("/opt/y"));
        for none in [
            "",
            "Exec=",
            "Exec=\"open",
            "Exec=./here",
            "Exec=$HOME/x",
            "Exec=%U",
        ] {
            assert_eq!(entry(none), None, "{none}");
        }
        assert_eq!(started_by("[Desktop Entry]\nType=Link\nExec=x\n"), None);
        assert_eq!(started_by("Type=Application\nExec=x\n"), None);
    }

    proptest! {
        #[test]
        fn prop_arbitrary_text_never_panics(text in "(\\[Desktop Entry\\]\nType=Application\nExec=)?\\PC{0,60}") {
            if let Some(program) = started_by(&text) {
                prop_assert!(text.starts_with("[Desktop Entry]"));
                prop_assert!(program.starts_with('/') || !program.contains('/'));
            }
        }
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_launchers(text in crate::fuzz::foreign_text(&[
            "[Desktop Entry]\nType=Application\nExec=\"/opt/a b/run\" --x=%f\nTryExec=/opt/x\n",
        ])) {
            drop(started_by(&text));
            let said = words(&text).unwrap_or_default();
            proptest::prop_assert!(said.iter().map(String::len).sum::<usize>() <= text.len());
        }
    }
}
