//! Paths and rules that the tests of both looks share.

use std::sync::LazyLock;

use proptest::prelude::*;

use crate::computer::Layout;
use crate::rule::{Rule, Rulebook, Survey};

static RULES: LazyLock<Vec<Rule>> = LazyLock::new(make_rules);

/// A rule for each way in which rules differ to the guards.
pub(crate) fn rules() -> &'static [Rule] {
    &RULES
}

/// A rule of this class with these keys more.
pub(crate) fn rule(class: &str, more: &str) -> Rule {
    let text = format!(
        "rulebook = \"mine\"\nlayout = \"linux\"\n[[rule]]\nid = \"one\"\ntitle = \"One\"\n\
         class = \"{class}\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{{temp}}\"]\n{more}\n"
    );
    Rulebook::parse("mine.toml", &text)
        .unwrap()
        .0
        .rules
        .remove(0)
}

fn make_rules() -> Vec<Rule> {
    let more = [
        ("spent", ""),
        ("ask", ""),
        ("ask", "detect = \"broken-launcher\""),
        ("ask", "detect = \"language-not-used\""),
        ("ask", "detect = \"old-account\""),
        ("ask", "detect = \"document-gone\""),
        (
            "ask",
            "values = \"run-entries\"\ndetect = \"reference-gone\"",
        ),
        ("ask", "keep-newest = { count = 2, per = \"stem\" }"),
    ];
    let of_surveys = Survey::ALL.map(|survey| survey.rule(Layout::Linux).rule);
    more.into_iter()
        .map(|(class, more)| rule(class, more))
        .chain(of_surveys)
        .collect()
}

/// Parts of listed folders, names that are guarded, and names that are not.
fn arb_part(layout: Layout) -> impl Strategy<Value = String> {
    let mut known: Vec<String> = crate::rule::guard::lists::system(layout)
        .iter()
        .flat_map(|listed| listed.split('/'))
        .chain(
            crate::rule::guard::families::FOLDERS
                .iter()
                .flat_map(|family| family.names.iter().copied()),
        )
        .chain(
            crate::rule::guard::families::PAIRS
                .iter()
                .flat_map(|(_, one, two)| [*one, *two]),
        )
        .map(str::to_owned)
        .collect();
    known.extend(["config", "SOFTWARE", "NTUSER.DAT", "UsrClass.dat"].map(str::to_owned));
    known.extend(["id_x", ".ssh", ".gnupg.old", ".kube"].map(str::to_owned));
    for family in crate::rule::guard::families::FAMILIES {
        let is_ending = family.says == crate::rule::guard::families::Says::Ending;
        let names = family.names.iter();
        known.extend(names.map(|name| {
            if is_ending {
                format!("x.{name}")
            } else {
                (*name).to_owned()
            }
        }));
    }
    known.extend(["start menu", "x.lnk"].map(str::to_owned));
    known.extend(["home", "ada", "tmp", "Documents", "cache", "x.log", "de"].map(str::to_owned));
    known.retain(|part| part != "*");
    let mut copies: Vec<String> = crate::rule::guard::lists::UPGRADED
        .iter()
        .map(|end| (*end).to_owned())
        .collect();
    copies.extend(
        crate::rule::guard::families::COPY_WORDS
            .iter()
            .map(|word| format!(".{word}")),
    );
    copies.extend(["~", " (copy)", "-wal", " (2)", "s", ".gz"].map(str::to_owned));
    let known = prop::sample::select(known);
    prop_oneof![
        4 => known.clone(),
        1 => known.clone().prop_map(|part| part.to_uppercase()),
        1 => (known.clone(), prop::sample::select(copies)).prop_map(|(part, end)| part + &end),
        1 => known.clone().prop_map(|part| format!(".{part}.swp")),
        1 => known.clone().prop_map(|part| format!("Copy of {part}")),
        1 => known.prop_map(|part| format!("#{part}#")),
        1 => "[a-z#~.-]{1,6}".prop_filter("a name", |part| part != "." && part != ".."),
    ]
}

/// A path made of what the guards know and what they don't, part by part.
pub(crate) fn arb_case() -> impl Strategy<Value = (Layout, Vec<String>)> {
    let layouts = [Layout::Linux, Layout::Windows, Layout::Macos];
    prop::sample::select(layouts.to_vec()).prop_flat_map(|layout| {
        // Ways to what is guarded, and on from there.
        let mut ways: Vec<Vec<String>> = crate::rule::guard::lists::system(layout)
            .iter()
            .chain(&[
                "home/eve/x",
                "home/eve/.x",
                "home/ada",
                "home/ada/cache",
                "home/ada/Documents",
                "tmp",
            ])
            .map(|way| {
                way.replace('*', "any")
                    .split('/')
                    .map(str::to_owned)
                    .collect()
            })
            .collect();
        ways.push(Vec::new());
        let way = prop::sample::select(ways);
        let parts = prop::collection::vec(arb_part(layout), 1..4);
        (way, parts).prop_map(move |(way, parts)| (layout, [way, parts].concat()))
    })
}
