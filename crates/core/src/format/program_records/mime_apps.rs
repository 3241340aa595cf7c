//! Which program opens what (the association specification of freedesktop.org): `mimeapps.list`, a key file with a list of
//! desktop entries for each kind of files. Whatever isn't asked for keeps its exact bytes.

/// The groups that say who opens something; a third says who doesn't.
const GROUPS: [(&str, &str); 2] = [
    ("default", "[Default Applications]"),
    ("added", "[Added Associations]"),
];

/// Lines that a file has at most.
const MOST: usize = 50_000;

/// One program that opens one kind of files.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct Opener {
    /// Its group, in a word.
    pub group: &'static str,
    /// The kind of files.
    pub kind: String,
    /// The desktop entry of the program.
    pub entry: String,
}

impl Opener {
    /// Whether nothing of it could be taken for anything else where it is written down.
    fn is_plain(&self) -> bool {
        let is_word = |text: &str| {
            !text.is_empty()
                && text
                    .chars()
                    .all(|it| it.is_ascii_graphic() && !"=;[]#".contains(it))
        };
        is_word(&self.kind) && is_word(&self.entry) && self.entry.ends_with(".desktop")
    }

    /// It alone as such a file.
    pub(crate) fn exported(&self) -> String {
        let head = GROUPS.iter().find(|(word, _)| *word == self.group);
        let head = head.map_or("", |(_, head)| head);
        format!("{head}\n{}={}\n", self.kind, self.entry)
    }
}

/// A file of associations.
#[derive(Clone, Debug)]
pub(crate) struct MimeApps {
    lines: Vec<String>,
}

/// What a line says: the group that it is in, its kind and its entries.
struct Said<'a> {
    group: &'static str,
    kind: &'a str,
    entries: Vec<&'a str>,
}

impl MimeApps {
    /// Reads one; nothing when it is no text, or has very many lines.
    pub(crate) fn read(bytes: &[u8]) -> Option<Self> {
        let text = std::str::from_utf8(bytes).ok()?;
        let lines: Vec<String> = text.split_inclusive('\n').map(str::to_owned).collect();
        (lines.len() <= MOST && !text.contains('\0')).then_some(Self { lines })
    }

    /// What each line says of who opens something; nothing for any other.
    fn said(&self) -> Vec<Option<Said<'_>>> {
        let mut group = None;
        let mut say = |line: &'_ String| {
            if line.starts_with('[') {
                let known = GROUPS.iter().find(|(_, head)| line.trim_end() == *head);
                group = known.map(|(word, _)| *word);
            }
            group.filter(|_| !line.starts_with(['#', '[']))
        };
        let groups: Vec<Option<&'static str>> = self.lines.iter().map(&mut say).collect();
        let said = self.lines.iter().zip(groups).map(|(line, group)| {
            let (kind, entries) = line.trim_end().split_once('=')?;
            let entries = entries.split(';').filter(|entry| !entry.is_empty());
            Some(Said {
                group: group?,
                kind,
                entries: entries.collect(),
            })
        });
        said.collect()
    }

    /// Every program that opens something, each once; and how much can't be told.
    pub(crate) fn openers(&self) -> (Vec<Opener>, u64) {
        let (mut openers, mut odd) = (Vec::new(), 0);
        let mut known = std::collections::HashSet::new();
        for said in self.said().into_iter().flatten() {
            for entry in said.entries {
                let opener = Opener {
                    group: said.group,
                    kind: said.kind.to_owned(),
                    entry: entry.to_owned(),
                };
                if !opener.is_plain() {
                    odd += 1;
                } else if known.insert(opener.clone()) {
                    openers.push(opener);
                }
            }
        }
        (openers, odd)
    }

    /// The file without some of them; a kind that nothing is left for goes with them.
    pub(crate) fn without(&self, is_out: &dyn Fn(&Opener) -> bool) -> String {
        let mut text = String::new();
        for (line, said) in self.lines.iter().zip(self.said()) {
            let Some(said) = said else {
                text.push_str(line);
                continue;
            };
            let opener = |entry: &str| Opener {
                group: said.group,
                kind: said.kind.to_owned(),
                entry: entry.to_owned(),
            };
            let (out, kept): (Vec<&str>, Vec<&str>) = said
                .entries
                .iter()
                .partition(|entry| is_out(&opener(entry)));
            if out.is_empty() {
                text.push_str(line);
            } else if !kept.is_empty() {
                let end = if line.trim_end().ends_with(';') {
                    ";"
                } else {
                    ""
                };
                text.extend([said.kind, "=", &kept.join(";"), end, "\n"]);
            }
        }
        text
    }

    /// The file with some more, each behind those of its kind.
    pub(crate) fn with(&self, more: &[Opener]) -> String {
        let mut lines = self.lines.clone();
        if let Some(last) = lines.last_mut().filter(|last| !last.ends_with('\n')) {
            last.push('\n');
        }
        for opener in more {
            let known = Self {
                lines: lines.clone(),
            };
            let at = known.said().iter().position(|said| {
                said.as_ref()
                    .is_some_and(|said| said.group == opener.group && said.kind == opener.kind)
            });
            if let Some(line) = at.and_then(|at| lines.get_mut(at)) {
                let whole = line.trim_end();
                let end = if whole.ends_with(';') { ";" } else { "" };
                *line = format!("{};{}{end}\n", whole.trim_end_matches(';'), opener.entry);
                continue;
            }
            let line = format!("{}={}\n", opener.kind, opener.entry);
            let head = GROUPS.iter().find(|(word, _)| *word == opener.group);
            let head = head.map_or("", |(_, head)| head);
            match lines.iter().position(|line| line.trim_end() == head) {
                Some(at) => lines.insert(at + 1, line),
                None => lines.extend([format!("{head}\n"), line]),
            }
        }
        lines.concat()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::fuzz::{config, foreign};

    const LIST: &str = "# mine\n[Default Applications]\ntext/plain=pad.desktop;old.desktop;\nimage/png=old.desktop\n\n\
                        [Removed Associations]\ntext/plain=old.desktop\n[Added Associations]\nx/y=a.desktop";

    fn opener(group: &'static str, kind: &str, entry: &str) -> Opener {
        Opener {
            group,
            kind: kind.to_owned(),
            entry: entry.to_owned(),
        }
    }

    #[test]
    fn openers_go_one_by_one_and_come_back_and_the_rest_keeps_its_bytes() {
        let list = MimeApps::read(LIST.as_bytes()).unwrap();
        let (all, odd) = list.openers();
        assert_eq!((all.len(), odd), (4, 0));
        let without = list.without(&|one| one.entry == "old.desktop");
        assert_eq!(
            without,
            "# mine\n[Default Applications]\ntext/plain=pad.desktop;\n\n[Removed Associations]\ntext/plain=old.desktop\n\
             [Added Associations]\nx/y=a.desktop"
        );
        let back = MimeApps::read(without.as_bytes()).unwrap().with(&[
            opener("default", "text/plain", "old.desktop"),
            opener("default", "image/png", "old.desktop"),
        ]);
        assert_eq!(
            back,
            "# mine\n[Default Applications]\nimage/png=old.desktop\ntext/plain=pad.desktop;old.desktop;\n\n\
             [Removed Associations]\ntext/plain=old.desktop\n[Added Associations]\nx/y=a.desktop\n"
        );
        let new = MimeApps { lines: Vec::new() }.with(&[opener("added", "x/y", "a.desktop")]);
        assert_eq!(new, "[Added Associations]\nx/y=a.desktop\n");
    }

    proptest! {
        #![proptest_config(config())]

        #[test]
        fn fuzz_lists_of_openers(bytes in foreign(&[LIST.as_bytes()])) {
            if let Some(list) = MimeApps::read(&bytes) {
                let (all, _) = list.openers();
                prop_assert!(list.without(&|_| false).as_bytes() == bytes);
                let out: Vec<Opener> = all.iter().step_by(2).cloned().collect();
                let rest = list.without(&|one| out.contains(one));
                let rest = MimeApps::read(rest.as_bytes()).unwrap();
                prop_assert!(rest.openers().0.iter().all(|one| !out.contains(one)));
                let back = MimeApps::read(rest.with(&out).as_bytes()).unwrap().openers().0;
                prop_assert!(out.iter().all(|one| back.contains(one)));
            }
        }
    }
}
