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
