//! The rules that the trees are scanned by.

use std::fmt::Write as _;

use jolly_core::rule::RuleSet;

use crate::Failure;

fn book(rules: &[String]) -> Result<RuleSet, Failure> {
    let mut text = "rulebook = \"bench\"\nlayout = \"linux\"\n".to_owned();
    for (number, take) in rules.iter().enumerate() {
        writeln!(
            text,
            "[[rule]]\nid = \"r{number}\"\ntitle = \"R\"\nclass = \"spent\"\nabout = \"a\"\n\
             after = \"b\"\nin = [\"{{temp}}\"]\n{take}"
        )?;
    }
    Ok(RuleSet::compile(&[("bench.toml".to_owned(), text)]).map_err(|error| error.to_string())?)
}

fn take(pattern: &str) -> String {
    format!("take = [\"{pattern}\"]")
}

/// One rule that takes everything.
pub(crate) fn everything() -> Result<RuleSet, Failure> {
    book(&[String::new()])
}

/// One rule that takes every tenth file.
pub(crate) fn tenth() -> Result<RuleSet, Failure> {
    book(&[take("**/*.tmp")])
}

/// A hundred rules, most of which find nothing: 33 endings, 13 names, 20 folders anywhere, 13
/// beginnings, 20 globs, and one that takes everything.
pub(crate) fn hundred() -> Result<RuleSet, Failure> {
    let mut rules = Vec::new();
    rules.extend((0..33).map(|number| take(&format!("**/*.e{number}"))));
    rules.extend((0..13).map(|number| take(&format!("**/name-{number}.bin"))));
    rules.extend((0..20).map(|number| take(&format!("**/folder-{number}/**"))));
    rules.extend((0..13).map(|number| take(&format!("**/begin-{number}*"))));
    rules.extend((0..20).map(|number| take(&format!("**/part-{number}-*[0-9].d?t"))));
    rules.push(String::new());
    book(&rules)
}
