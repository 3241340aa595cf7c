//! What a technician expects to be found, folder by folder: lists made from how the systems and their programs
//! work, and not from the rulebooks.

use std::collections::HashMap;
use std::path::Path;

use jolly_core::computer::{Layout, TargetPath};
use jolly_core::rule::{Class, RuleId};

use crate::support::{Bench, DAY, manifest_of};

/// Of a hundred things that are plainly rubbish, how many have to be found.
const LEAST: usize = 95;

struct Expected<'a> {
    path: &'a str,
    /// Whether it may go without being asked about.
    is_plain: bool,
    contents: Option<&'a str>,
}

fn read(text: &str) -> Vec<Expected<'_>> {
    let lines = text.lines().filter(|line| !line.starts_with('#'));
    lines
        .map(|line| {
            let (line, is_plain) = match line.strip_prefix("? ") {
                Some(line) => (line, false),
                None => (line, true),
            };
            let (path, contents) = match line.split_once(" = ") {
                Some((path, contents)) => (path, Some(contents)),
                None => (line, None),
            };
            Expected {
                path,
                is_plain,
                contents,
            }
        })
        .collect()
}

/// A list of one document.
const LIST: &str =
    "<xbel><bookmark href=\"file:///home/pia/today.txt\" added=\"2020-01-01T00:00:00Z\"/></xbel>";

/// What has to lie beside the rubbish for a system to be told, and for browsers to be found.
fn around(bench: &Bench, layout: Layout) {
    // Somebody lives here: a home that nobody uses would go as a whole, and prove nothing.
    let diary = match layout {
        Layout::Linux => "home/pia/today.txt",
        Layout::Windows | Layout::Macos => "Users/pia/today.txt",
    };
    bench.tree.file(diary, 4096, DAY).unwrap();
    let file = |path: &str| drop(bench.tree.file(path, 4096, 300 * DAY).unwrap());
    match layout {
        Layout::Linux => {
            let accounts = "pia:x:1000:1000::/home/pia:/bin/sh\n";
            bench.tree.text("etc/passwd", accounts, 900 * DAY).unwrap();
            // The newest of each package stays.
            for version in ["1.1", "1.2"] {
                file(&format!(
                    "var/cache/pacman/pkg/tides-{version}-1-x86_64.pkg.tar.zst"
                ));
                file(&format!("var/cache/xbps/tides-{version}_1.x86_64.xbps"));
            }
        }
        Layout::Windows => {
            file("Windows/System32/kernel32.dll");
            file("Windows/explorer.exe");
            file("Users/pia/NTUSER.DAT");
        }
        Layout::Macos => {
            file("System/Library/CoreServices/SystemVersion.plist");
            file("Users/pia/Library/Preferences/example.plist");
            file("Applications/Tides.app/Contents/Info.plist");
        }
    }
}

#[test]
fn what_is_plainly_rubbish_is_found_on_every_layout() {
    let mut wrong = Vec::new();
    for (layout, text) in [
        (Layout::Linux, include_str!("rubbish/linux.txt")),
        (Layout::Windows, include_str!("rubbish/windows.txt")),
        (Layout::Macos, include_str!("rubbish/macos.txt")),
    ] {
        let bench = Bench::bare(layout);
        around(&bench, layout);
        let expected = read(text);
        for one in &expected {
            if !Path::new(&bench.root()).join(one.path).exists() {
                let made = match one.contents {
                    // Of a list its entries go, not the file.
                    None if one.path.contains("recently-used.xbel") => {
                        bench.tree.text(one.path, LIST, 800 * DAY)
                    }
                    Some(kind) => bench.tree.of_kind(one.path, kind, 40_960, 800 * DAY),
                    None => bench.tree.file(one.path, 8_192, 800 * DAY),
                };
                made.unwrap();
            }
        }
        bench.tree.age_folders().unwrap();
        let scan = bench.scan();
        assert_eq!(scan.target.layout, layout);
        let manifest = manifest_of(&scan, true);
        let found: HashMap<TargetPath, RuleId> = (manifest.items.iter())
            .map(|item| match item.entry {
                None => (item.path, item.rule),
                Some(_) => (item.path.parent().unwrap(), item.rule),
            })
            .collect();
        let mut missed = Vec::new();
        for one in &expected {
            let path = TargetPath::new(one.path).unwrap();
            let Some(rule) = found.get(&path) else {
                missed.push(one.path);
                continue;
            };
            let number = scan.rules.by_id(rule).unwrap();
            let class = scan.rules.rule(number).rule.class;
            if !one.is_plain && !matches!(class, Class::Ask | Class::Felt) {
                wrong.push(format!("{} goes unasked by {rule}", one.path));
            }
        }
        let share = 100 * (expected.len() - missed.len()) / expected.len();
        if share < LEAST {
            let missed = missed.join("\n");
            wrong.push(format!("{layout:?} {share} %, missed:\n{missed}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
