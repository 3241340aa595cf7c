//! Every rule's examples, as files: what a rulebook promises to find is there to be found.

use serde::Deserialize;

use crate::tree::{DAY, TreeBuilder};
use crate::{DemoError, DemoLayout};

/// Of a rulebook only what is built from it.
#[derive(Deserialize)]
struct Book {
    rule: Vec<Rule>,
}

#[derive(Deserialize)]
struct Rule {
    #[serde(default)]
    example: Vec<Example>,
}

#[derive(Deserialize)]
struct Example {
    path: String,
    aged: Option<String>,
    /// What it is inside.
    contents: Option<String>,
}

/// Builds every example that isn't there yet; of two for one path the first.
pub(crate) fn build(tree: &TreeBuilder, layout: DemoLayout) -> Result<(), DemoError> {
    let text = match layout {
        DemoLayout::Linux => include_str!("../../../rulebooks/linux.toml"),
        DemoLayout::Windows => include_str!("../../../rulebooks/windows.toml"),
        DemoLayout::Macos => include_str!("../../../rulebooks/macos.toml"),
    };
    let book: Book = toml::from_str(text).map_err(|source| DemoError::Rulebook {
        layout: layout.name(),
        source,
    })?;
    for (number, example) in book.rule.iter().flat_map(|rule| &rule.example).enumerate() {
        if tree.has(&example.path) {
            continue;
        }
        let age = example.aged.as_deref().map_or(0, seconds);
        // Images of memory are large; the rest differ a little, so that no two sums are alike.
        let size = if example.path.contains("/core.") {
            3 << 20
        } else {
            (40 + 4 * (number as u64 % 13)) << 10
        };
        match &example.contents {
            Some(kind) => tree.of_kind(&example.path, kind, size, age)?,
            None => tree.file(&example.path, size, age)?,
        };
    }
    beside(tree, layout)
}

/// What has to lie beside some examples: the marks of a fetched package, and what an archive was unpacked to.
fn beside(tree: &TreeBuilder, layout: DemoLayout) -> Result<(), DemoError> {
    let homes = match layout {
        DemoLayout::Linux => "home",
        DemoLayout::Windows | DemoLayout::Macos => "Users",
    };
    tree.text(
        format!("{homes}/joss/.m2/repository/example/tides/1.2/_remote.repositories"),
        "#NOTE: This is a file of the build tool.\ntides-1.2.jar>central=\n",
        180 * DAY,
    )?;
    let unpacked = format!("{homes}/joss/Downloads/charts-2025/estuary.png");
    tree.file(unpacked, 90 << 10, 150 * DAY)?;
    Ok(())
}

/// An age as rulebooks write it, in seconds; a month has 30 days, a year 365.
fn seconds(text: &str) -> i64 {
    let (number, unit) = text.split_once(' ').unwrap_or((text, "days"));
    let one = match unit.trim_end_matches('s') {
        "minute" => 60,
        "hour" => 3_600,
        "week" => 7 * DAY,
        "month" => 30 * DAY,
        "year" => 365 * DAY,
        _ => DAY,
    };
    number.parse::<i64>().unwrap_or(1) * one
}
