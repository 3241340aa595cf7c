//! The table of names that belong together: what a program's folders are called where that says nothing of it.

use std::collections::BTreeMap;

use serde::Deserialize;

use crate::format::{DocumentError, Problem};
use crate::survey::programs::names::{Known, normal};
use crate::survey::programs::{Program, names};

/// What is known without anybody's file.
const BUILT_IN: &str = include_str!("../../../../../data/belongs.toml");

/// The fewest letters that a program's name begins with another to be its: `openjdk` is `openjdk-17-jre`.
const BEGINS: usize = 5;

/// What such a file has.
const KEYS: &str = "each [[belongs]] has a `program` and its `names`, which are a list";

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenTable {
    #[serde(default)]
    belongs: Vec<WrittenNames>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenNames {
    program: String,
    names: Vec<String>,
}

/// Names that belong to programs, all in their normal form.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Belongs(BTreeMap<String, Vec<String>>);

impl Belongs {
    /// What is built in.
    pub fn built_in() -> Self {
        let mut table = Self::default();
        // A test reads it.
        let read = table.add("belongs.toml", BUILT_IN);
        debug_assert!(read.is_ok(), "{read:?}");
        table
    }

    /// Adds a table that somebody wrote (TOML 1.0).
    ///
    /// # Errors
    /// When it is none, with the place.
    pub fn add(&mut self, file: &str, text: &str) -> Result<(), DocumentError> {
        let written: WrittenTable = toml::from_str(text).map_err(|error| DocumentError {
            file: file.to_owned(),
            text: text.to_owned(),
            problems: vec![Problem {
                span: error.span().unwrap_or(0..0),
                message: error.message().to_owned(),
                label: "here".to_owned(),
                help: KEYS.to_owned(),
            }],
        })?;
        for one in written.belongs {
            let own = self.0.entry(normal(&one.program)).or_default();
            for name in one.names.iter().map(|name| normal(name)) {
                if !name.is_empty() && !own.contains(&name) {
                    own.push(name);
                }
            }
        }
        Ok(())
    }

    /// Has programs know the names that are theirs.
    pub(super) fn tell(&self, programs: &mut [Program]) {
        for program in programs {
            for (name, own) in &self.0 {
                let is_it = |known: &str| {
                    known == name
                        || (name.chars().count() >= BEGINS && known.starts_with(name.as_str()))
                };
                if program.names.iter().any(|(known, _)| is_it(known)) {
                    for name in own {
                        program.know(name, Known::Table);
                    }
                }
            }
        }
    }

    /// The program that a name belongs to, in its normal form.
    pub(in crate::survey) fn program_of(&self, name: &str) -> Option<&str> {
        let forms = names::forms(name);
        let mut all = self.0.iter();
        all.find(|(_, own)| own.iter().any(|own| forms.contains(own)))
            .map(|(program, _)| program.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_is_added_to_what_is_built_in_and_mistakes_are_told() {
        let mut table = Belongs::built_in();
        assert_eq!(table.program_of(".npm"), Some("nodejs"));
        let more = "[[belongs]]\nprogram = \"Knot Book\"\nnames = [\"Knots & Books\"]\n";
        table.add("x", more).unwrap();
        assert_eq!(table.program_of("knots-books"), Some("knotbook"));
        let error = table.add("x", "[[belongs]]\nprogram = 1\n").unwrap_err();
        assert!(error.to_string().contains("x:2:"), "{error}");
    }
}
