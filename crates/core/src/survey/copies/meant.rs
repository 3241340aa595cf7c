//! Pairs of folders that are meant to be the same: they aren't told as copies.

use std::collections::BTreeSet;

use serde::Deserialize;
use toml_edit::{Array, DocumentMut, Table, value};

use crate::computer::TargetPath;
use crate::format::{DocumentError, Problem};
use crate::state::user_file::tables_of;

/// What a fresh file begins with.
const HEAD: &str = "# Folders of this computer that are meant to be the same, below its root.\n";

/// What such a file has.
const KEYS: &str = "each [[same]] has `folders`, a list of two paths below the computer's root";

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenPairs {
    #[serde(default)]
    same: Vec<WrittenPair>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenPair {
    folders: [String; 2],
}

/// Folders that are meant to be the same, two by two.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct MeantTheSame(BTreeSet<[TargetPath; 2]>);

impl MeantTheSame {
    /// Reads what somebody may have written (TOML 1.0).
    ///
    /// # Errors
    /// When it is no such file, with the place.
    pub fn read(file: &str, text: &str) -> Result<Self, DocumentError> {
        let mistake = |span: std::ops::Range<usize>, message: String| DocumentError {
            file: file.to_owned(),
            text: text.to_owned(),
            problems: vec![Problem {
                span,
                message,
                label: "here".to_owned(),
                help: KEYS.to_owned(),
            }],
        };
        let written: WrittenPairs = toml::from_str(text)
            .map_err(|error| mistake(error.span().unwrap_or(0..0), error.message().to_owned()))?;
        let mut pairs = BTreeSet::new();
        for one in written.same {
            let [a, b] = one.folders.map(TargetPath::new);
            match (a, b) {
                (Ok(a), Ok(b)) => pairs.insert(in_order(a, b)),
                (Err(error), _) | (_, Err(error)) => {
                    return Err(mistake(0..0, error.to_string()));
                }
            };
        }
        Ok(Self(pairs))
    }

    /// Adds two folders to what somebody may have written, or takes them out, and gives the new text; all other text stays
    /// as it is.
    ///
    /// # Errors
    /// When it can't be read as it stands.
    pub fn write(
        file: &str,
        text: Option<&str>,
        (a, b): (&str, &str),
        is_meant: bool,
    ) -> Result<String, DocumentError> {
        let text = text.unwrap_or(HEAD);
        Self::read(file, text)?;
        // It was just read as TOML.
        let mut document = text.parse::<DocumentMut>().unwrap_or_default();
        if let Some(list) = tables_of(&mut document, "same") {
            let is_it = |table: &Table| {
                let folders = table.get("folders").and_then(|item| item.as_array());
                let mut own: Vec<&str> = folders
                    .into_iter()
                    .flatten()
                    .filter_map(|item| item.as_str())
                    .collect();
                own.sort_unstable();
                own == if a < b { [a, b] } else { [b, a] }
            };
            list.retain(|table| !is_it(table));
            if is_meant {
                let mut table = Table::new();
                table.insert("folders", value(Array::from_iter([a, b])));
                list.push(table);
            }
        }
        let text = document.to_string();
        Self::read(file, &text)?;
        Ok(text)
    }

    /// How many pairs there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether two folders are meant to be the same: they themselves, or what lies at the same place in two that are.
    pub(super) fn has(&self, a: &TargetPath, b: &TargetPath) -> bool {
        let rest_of = |path: &TargetPath, top: &TargetPath| -> Option<Vec<u8>> {
            if path == top {
                return Some(Vec::new());
            }
            path.below(top).map(<[u8]>::to_vec)
        };
        self.0.iter().any(|[one, other]| {
            [(a, b), (b, a)].into_iter().any(|(first, second)| {
                let rest = rest_of(first, one);
                rest.is_some() && rest == rest_of(second, other)
            })
        })
    }
}

fn in_order(a: TargetPath, b: TargetPath) -> [TargetPath; 2] {
    if a < b { [a, b] } else { [b, a] }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_are_added_taken_out_and_known_at_every_depth_and_other_text_stays() {
        let text = "# mine\n[[same]]\nfolders = [\"home/a/x\", \"home/b/x\"]\n";
        let more = MeantTheSame::write("f", Some(text), ("srv/q\"", "home/a/y"), true).unwrap();
        assert!(
            more.starts_with(text) && more.matches("[[same]]").count() == 2,
            "{more}"
        );
        let same = MeantTheSame::read("f", &more).unwrap();
        let path = |path: &str| TargetPath::new(path).unwrap();
        for (a, b, wanted) in [
            ("home/a/x", "home/b/x", true),
            ("home/b/x", "home/a/x", true),
            ("home/a/x/1", "home/b/x/1", true),
            ("home/a/x/1", "home/b/x/2", false),
            ("home/a/x", "home/b/x/1", false),
            ("home/a/xy", "home/b/xy", false),
            ("home/a/y", "srv/q\"", true),
        ] {
            assert_eq!(same.has(&path(a), &path(b)), wanted, "{a} {b}");
        }
        let less = MeantTheSame::write("f", Some(&more), ("home/a/y", "srv/q\""), false).unwrap();
        assert_eq!(less, text);
        for wrong in [
            "same = 1",
            "[[same]]\nfolders = [\"a\"]\n",
            "[[same]]\nfolders = [\"../a\", \"b\"]\n",
        ] {
            assert!(MeantTheSame::read("f", wrong).is_err(), "{wrong}");
            assert!(MeantTheSame::write("f", Some(wrong), ("a", "b"), true).is_err());
        }
    }
}
