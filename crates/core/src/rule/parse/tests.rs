//! Every mistake is told at its place.

use super::*;

fn rule(body: &str) -> String {
    format!(
        "rulebook = \"mine\"\nlayout = \"linux\"\n\n[[rule]]\nid = \"one\"\ntitle = \"One\"\n\
         class = \"spent\"\nabout = \"a\"\nafter = \"b\"\n{body}\n"
    )
}

#[test]
fn no_spelling_reaches_most_of_a_home() {
    let cases = [
        ("{home}", "", "**/?*", ""),
        ("{home}", "", "**/*.*", ""),
        ("{home}", "", "[!.]*\", \"*/**", ""),
        ("{home}", "", "*\", \"*/*\", \"*/*/*", ""),
        ("{home}/*", "", "**", ""),
        ("{home}/{[A-Z],[a-z]}*", "", "**", ""),
        ("{root}/home", "", "**/*", ""),
        ("{root}/*/*/*", "", "**", ""),
        ("{home}", "", "*", "whole = true"),
        (
            "{home}/Documents",
            "\"{home}/Pictures\", \"{home}/letters\", \"{home}/Desktop\", \"{home}/Videos\", \
          \"{home}/Music\", \"{home}/projects\", ",
            "**",
            "",
        ),
        (
            "{home}",
            "",
            "**/*.{[oO]*,doc*,jpg,JPG,xls*,pdf,txt,zip,csv,flac}",
            "spare = [\"**/*.key\"]",
        ),
    ];
    for (within, more, take, keys) in cases {
        let text = rule(&format!(
            "in = [{more}\"{within}\"]\ntake = [\"{take}\"]\n{keys}"
        ));
        let error = Rulebook::parse("mine.toml", &text).unwrap_err();
        let told = error.to_string();
        let is_told = told.contains("more than half of somebody's home")
            || told.contains("takes everything in");
        assert!(is_told, "{take}: {told}");
        // A recogniser picks among what it is shown.
        let picked = Rulebook::parse("mine.toml", &format!("{text}detect = \"broken-link\"\n"));
        let told = picked.map(drop).err().map(|error| error.to_string());
        assert!(
            !told.is_some_and(|told| told.contains("more than half")),
            "{take}"
        );
    }
    for (within, take) in [
        ("{home}", "**/*.log"),
        ("{home}/Downloads", "**"),
        ("{home}", "*"),
        ("{config}", "**"),
    ] {
        let text = rule(&format!("in = [\"{within}\"]\ntake = [\"{take}\"]"));
        let told = Rulebook::parse("mine.toml", &text)
            .map(drop)
            .err()
            .map(|error| error.to_string());
        assert!(
            !told.is_some_and(|told| told.contains("more than half")),
            "{within} {take}"
        );
    }
}

#[test]
fn every_mistake_is_told_with_its_line_and_what_would_be_right() {
    let cases = [
        ("in = [\"{cache}/../.ssh\"]", ":10:7", "no `..`"),
        ("in = [\"/etc\"]", ":10:7", "never an absolute path"),
        ("in = [\"{cache}\\\\x\"]", ":10:7", "backslash"),
        ("in = [\"{cahce}\"]", ":10:7", "there is no place {cahce}"),
        ("in = [\"{home}\"]", ":10:7", "takes everything in {home}"),
        (
            "in = [\"{root}\"]\ntake = [\"**/*\"]",
            ":10:7",
            "takes everything in {root}",
        ),
        (
            "in = [\"{cache}\"]\ntake = [\"../../.ssh/*\"]",
            ":11:9",
            "no `..`",
        ),
        (
            "in = [\"{cache}\"]\ntake = [\"[a\"]",
            ":11:9",
            "not a pattern",
        ),
        (
            "in = [\"{cache}\"]\nage = { limit = \"3 moonths\" }",
            ":11:17",
            "no known unit",
        ),
        ("in = [\"{cache}\"]\nages = 3", ":11:1", "unknown field"),
        (
            "in = [\"{home}/.ssh\"]",
            ":10:6",
            "only ever hit what is guarded",
        ),
        (
            "in = [\"{root}/usr/lib\"]",
            ":10:6",
            "only ever hit what is guarded",
        ),
        (
            "in = [\"{home}/Documents\"]",
            ":10:6",
            "only ever hit what is guarded",
        ),
        (
            "in = [\"{profile.gecko}\"]\ntake = [\"{logins.json,key4.db}\"]",
            ":10:6",
            "only ever hit what is guarded",
        ),
        (
            "in = [\"{cache}\"]\ndetect = \"x\\u001b[2J\"",
            ":11:10",
            "is not a recogniser",
        ),
        (
            "in = [\"{cache}\"]\nlarger-than = \"lots\"",
            ":11:15",
            "\"lots\" is not a size",
        ),
        (
            "in = [\"{cache}\"]\nlarger-than = \"0 MiB\"",
            ":11:15",
            "is not a size",
        ),
        (
            "in = [\"{cache}\"]\nkeep-newest = { count = 0, per = \"stem\" }",
            ":11:25",
            "0 is not a number of things to keep",
        ),
        (
            "in = [\"{cache}\"]\nkeep-newest = { count = 2, per = \"file\" }",
            ":11:34",
            "\"file\" is not a family",
        ),
        (
            "in = [\"{cache}\"]\nbusy = [\"a b\"]",
            ":11:9",
            "is not a program's name",
        ),
        (
            "in = [\"{cache}\"]\nby = \"shred\"",
            ":11:6",
            "is not a way to remove",
        ),
        (
            "in = [\"{cache}\"]\nage = { by = \"row\" }",
            ":5:6",
            "only the entries of a list",
        ),
        (
            "in = [\"{cache}\"]\nentries = \"xbel\"\nlarger-than = \"1 MiB\"",
            ":5:6",
            "asks for what only files have",
        ),
        (
            "in = [\"{cache}\"]\nentries = \"html\"",
            ":11:11",
            "is not a format of lists",
        ),
        (
            "in = [\"{cache}\"]\nage = { by = \"trashed\" }\ndetect = \"broken-link\"",
            ":5:6",
            "only a trash knows",
        ),
        ("in = [\"{cache}\"]\nvalue = 1", ":11:1", "unknown field"),
        ("in = 3", ":10:6", "invalid type"),
        ("in = [\"{cache}\"", ":10:", ""),
    ];
    for (body, place, message) in cases {
        let error = Rulebook::parse("mine.toml", &rule(body))
            .unwrap_err()
            .to_string();
        assert!(
            error.contains(&format!("mine.toml{place}")),
            "{body}\n{error}"
        );
        assert!(error.contains(message), "{body}\n{error}");
        assert!(error.contains("help:"), "{body}\n{error}");
    }
    assert!(Rulebook::parse("mine.toml", &rule("in = [\"{cache}/x\"]")).is_ok());
}
