//! The table of names that belong together: what a program's folders are called where that says nothing of it.

use std::collections::BTreeMap;

use serde::Deserialize;
use toml_edit::{Array, DocumentMut, Item, Table, value};

use crate::format::{DocumentError, Problem};
use crate::state::user_file::tables_of;
use crate::survey::programs::names::{Known, normal};
use crate::survey::programs::{Program, names};

/// What is known without anybody's file.
const BUILT_IN: &str = include_str!("../../../../../data/belongs.toml");

/// The fewest letters of a name that another is, with its version behind it: `openjdk` is `openjdk-17-jre`.
const BEGINS: usize = 5;

/// What a fresh file begins with.
const HEAD: &str = "# Folders and files whose names say nothing of their program.\n";

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

    /// Adds a name of a program to a table that somebody may have written, and gives the new text; all other text stays as
    /// it is.
    ///
    /// # Errors
    /// When the table can't be read as it stands.
    pub fn write_name(
        file: &str,
        text: Option<&str>,
        (program, name): (&str, &str),
    ) -> Result<String, DocumentError> {
        let text = text.unwrap_or(HEAD);
        Self::default().add(file, text)?;
        // It was just read as TOML.
        let mut document = text.parse::<DocumentMut>().unwrap_or_default();
        if let Some(list) = tables_of(&mut document, "belongs") {
            let is_it = |table: &&mut Table| {
                let own = table.get("program").and_then(Item::as_str);
                own.is_some_and(|own| normal(own) == normal(program))
            };
            if let Some(names) = list
                .iter_mut()
                .find(|table| is_it(table))
                .and_then(|table| table.get_mut("names")?.as_array_mut())
            {
                names.push(name);
            } else {
                let mut table = Table::new();
                table.insert("program", value(program));
                table.insert("names", value(Array::from_iter([name])));
                list.push(table);
            }
        }
        let text = document.to_string();
        Self::default().add(file, &text)?;
        Ok(text)
    }

    /// Has programs know the names that are theirs.
    pub(super) fn tell(&self, programs: &mut [Program]) {
        for program in programs {
            for (name, own) in &self.0 {
                let is_long = name.chars().count() >= BEGINS;
                let is_it = |known: &str| {
                    let rest = known.strip_prefix(name.as_str());
                    rest.is_some_and(|rest| {
                        rest.is_empty()
                            || (is_long && rest.starts_with(|it: char| it.is_ascii_digit()))
                    })
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
        let text = Belongs::write_name("x", Some(&format!("# mine\n{more}")), ("knotbook", "kb4"));
        let text = text.unwrap();
        let text = Belongs::write_name("x", Some(&text), ("heron", "h[1]\"")).unwrap();
        assert!(
            text.starts_with("# mine\n") && text.matches("[[belongs]]").count() == 2,
            "{text}"
        );
        let mut table = Belongs::default();
        table.add("x", &text).unwrap();
        for (name, program) in [
            ("kb4", "knotbook"),
            ("knots & books", "knotbook"),
            ("h1", "heron"),
        ] {
            assert_eq!(table.program_of(name), Some(program), "{name}");
        }
        assert!(Belongs::write_name("x", Some("belongs = 1"), ("a", "b")).is_err());
        let error = table.add("x", "[[belongs]]\nprogram = 1\n").unwrap_err();
        assert!(error.to_string().contains("x:2:"), "{error}");
    }
}
