//! Desktop entries of the type `Application` (the desktop entry specification).

/// The most that is read of one; translated names make them some ten kilobytes long.
pub(crate) const MOST_ENTRY: u64 = 256 * 1024;

/// What an entry says of its program.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct DesktopEntry {
    /// What it is called, in the language of the entry itself.
    pub name: String,
    /// The program that it starts: its path, or its name where it is looked for; nothing when it starts none or isn't
    /// written by the specification.
    pub program: Option<String>,
    /// Whether menus leave it out.
    pub is_hidden: bool,
    /// Names by which the program's windows and files may be known.
    pub window_class: Option<String>,
}

impl DesktopEntry {
    /// Reads one; nothing when it is none, or is of another type.
    pub(crate) fn read(text: &str) -> Option<Self> {
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
        Some(Self {
            name: value("Name").unwrap_or_default().to_owned(),
            program: value("TryExec")
                .or_else(|| value("Exec"))
                .and_then(program_of),
            is_hidden: [value("NoDisplay"), value("Hidden")].contains(&Some("true")),
            window_class: value("StartupWMClass").map(str::to_owned),
        })
    }
}

/// What an entry says that starts a program at sign-in (the autostart specification).
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct AutostartEntry {
    /// What it is called, in the language of the entry itself.
    pub name: String,
    /// What it says about itself.
    pub says: Option<String>,
    /// What it starts, as it is written.
    pub command: String,
    /// The program of that.
    pub program: Option<String>,
    /// What has to be there, or nothing is started.
    pub needs: Option<String>,
    /// Whether it is turned off.
    pub is_hidden: bool,
}

impl AutostartEntry {
    /// Reads one; nothing when it is none. One that only hides another needs to say nothing else.
    pub(crate) fn read(text: &str) -> Option<Self> {
        let mut entry = Self::default();
        let mut is_inside = false;
        let mut is_one = false;
        for line in text.lines().map(str::trim) {
            if line.starts_with('[') {
                is_inside = line == HEAD;
                is_one |= is_inside;
                continue;
            }
            let Some((key, value)) = line.split_once('=').filter(|_| is_inside) else {
                continue;
            };
            let value = value.trim();
            match key.trim() {
                "Name" => value.clone_into(&mut entry.name),
                "Comment" => entry.says = Some(value.to_owned()),
                "Exec" => {
                    value.clone_into(&mut entry.command);
                    entry.program = program_of(value);
                }
                "TryExec" => entry.needs = program_of(value),
                HIDDEN => entry.is_hidden = value.eq_ignore_ascii_case("true"),
                _ => {}
            }
        }
        is_one.then_some(entry)
    }
}

const HEAD: &str = "[Desktop Entry]";
const HIDDEN: &str = "Hidden";

/// An entry turned off, or on again: all else stays, byte for byte. Nothing where it is none.
pub(crate) fn hidden(bytes: &[u8], is_hidden: bool) -> Option<Vec<u8>> {
    let mut made: Vec<&[u8]> = Vec::new();
    let (mut is_inside, mut is_one) = (false, false);
    for line in bytes.split_inclusive(|byte| *byte == b'\n') {
        let text = line.trim_ascii();
        if text.starts_with(b"[") {
            is_inside = text == HEAD.as_bytes();
            made.push(line);
            if is_inside && !is_one {
                if !line.ends_with(b"\n") {
                    made.push(b"\n");
                }
                if is_hidden {
                    made.push(b"Hidden=true\n");
                }
            }
            is_one |= is_inside;
            continue;
        }
        let key = text.split(|byte| *byte == b'=').next().unwrap_or_default();
        let says_hidden =
            is_inside && text.contains(&b'=') && key.trim_ascii() == HIDDEN.as_bytes();
        if !says_hidden {
            made.push(line);
        }
    }
    is_one.then(|| made.concat())
}

/// The program that a command starts.
fn program_of(command: &str) -> Option<String> {
    let mut words = words(command)?.into_iter();
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn started_by(text: &str) -> Option<String> {
        DesktopEntry::read(text)?.program
    }

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

    #[test]
    fn an_entry_is_turned_off_and_on_and_nothing_else_of_it_changes() {
        let is_hidden = |bytes: &[u8]| {
            let text = String::from_utf8_lossy(bytes).into_owned();
            AutostartEntry::read(&text).map(|entry| entry.is_hidden)
        };
        let plain = b"# by hand\n[Desktop Entry]\nType=Application\nExec=x\n\n[Desktop Action A]\nHidden=true\n";
        assert_eq!(is_hidden(plain), Some(false));
        let off = hidden(plain, true).unwrap();
        assert_eq!(is_hidden(&off), Some(true));
        assert_eq!(hidden(&off, false).unwrap(), plain);
        // However it was said before.
        let said = b"[Desktop Entry]\r\n Hidden = True\r\nExec=y\r\n";
        assert_eq!(is_hidden(said), Some(true));
        assert_eq!(is_hidden(&hidden(said, false).unwrap()), Some(false));
        assert_eq!(hidden(b"Hidden=true\n", false), None);
        assert_eq!(
            is_hidden(&hidden(b"[Desktop Entry]", true).unwrap()),
            Some(true)
        );
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
        fn fuzz_autostart(bytes in crate::fuzz::foreign(&[
            b"[Desktop Entry]\nName=x\nHidden=false\nExec=y %U\n[Other]\nHidden=true\n",
        ])) {
            for is_hidden in [true, false] {
                let Some(made) = hidden(&bytes, is_hidden) else { continue };
                let text = String::from_utf8_lossy(&made).into_owned();
                let read = AutostartEntry::read(&text).map(|entry| entry.is_hidden);
                proptest::prop_assert_eq!(read, Some(is_hidden));
            }
        }

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
