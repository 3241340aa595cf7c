//! What is told of the command line is the same everywhere: in the help, the manual pages, the completions and the papers.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::support::{Demo, PROGRAM};

fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// README, contributing, and every paper of `docs`, each with its name.
fn papers() -> Vec<(String, String)> {
    let docs = std::fs::read_dir(project().join("docs")).unwrap();
    let docs = docs.map(|entry| entry.unwrap().path());
    let own = ["README.md", "CONTRIBUTING.md"].map(|name| project().join(name));
    let papers = docs
        .chain(own)
        .filter(|path| path.extension().is_some_and(|it| it == "md"));
    let named = papers.map(|path| {
        (
            path.display().to_string(),
            std::fs::read_to_string(path).unwrap(),
        )
    });
    named.collect()
}

/// The commands below a command, as its help lists them, with that command's options.
fn help_of(demo: &Demo, path: &[String]) -> (BTreeSet<String>, BTreeSet<String>) {
    let words: Vec<&str> = path.iter().map(String::as_str).chain(["--help"]).collect();
    let help = demo.bare(&words);
    assert_eq!(help.code, 0, "{words:?}: {}", help.err);
    let mut below = BTreeSet::new();
    let listed = help
        .out
        .lines()
        .skip_while(|line| *line != "Commands:")
        .skip(1);
    for line in listed.take_while(|line| !line.is_empty()) {
        // A long explanation goes on in lines that stand further in.
        let name = line
            .strip_prefix("  ")
            .filter(|line| !line.starts_with(' '));
        below.extend(
            name.and_then(|name| name.split_whitespace().next())
                .map(str::to_owned),
        );
    }
    below.remove("help");
    let options = help.out.split("Options:").last().unwrap_or_default();
    let options = options.split("\nExample").next().unwrap_or_default();
    (below, options_in(options))
}

/// Every `--option` of a text.
fn options_in(text: &str) -> BTreeSet<String> {
    let ends = |letter: char| !(letter.is_ascii_lowercase() || letter == '-');
    let words = text.split("--").skip(1);
    let names = words.map(|rest| rest.split(ends).next().unwrap_or_default());
    let names = names.filter(|name| name.starts_with(|letter: char| letter.is_ascii_lowercase()));
    names
        .map(|name| format!("--{}", name.trim_end_matches('-')))
        .collect()
}

/// Every command, with the options of its help.
fn commands(demo: &Demo) -> Vec<(Vec<String>, BTreeSet<String>)> {
    let mut found = Vec::new();
    let mut waiting = vec![Vec::new()];
    while let Some(path) = waiting.pop() {
        let (below, options) = help_of(demo, &path);
        waiting.extend(below.into_iter().map(|name| [&path[..], &[name]].concat()));
        found.push((path, options));
    }
    found
}

fn offered(demo: &Demo, words: &[&str]) -> BTreeSet<String> {
    let output = Command::new(PROGRAM)
        .args(["--", "jolly-broom"])
        .args(words)
        .env_clear()
        .envs([
            ("HOME", demo.dir()),
            ("JOLLY_BROOM_COMPLETE", Path::new("fish")),
        ])
        .output()
        .unwrap();
    let offers = String::from_utf8(output.stdout).unwrap();
    let names = offers.lines().filter_map(|line| line.split('\t').next());
    names.map(str::to_owned).collect()
}

#[test]
fn help_manual_and_completions_know_the_same_commands_and_options() {
    let demo = Demo::empty();
    let pages = demo.dir().join("man");
    std::fs::create_dir(&pages).unwrap();
    let written = demo.bare(&["man", "--out", pages.to_str().unwrap()]);
    assert_eq!(written.code, 0, "{}", written.err);
    let commands = commands(&demo);
    assert!(commands.len() > 40, "{}", commands.len());
    assert_eq!(std::fs::read_dir(&pages).unwrap().count(), commands.len());
    for (path, options) in &commands {
        let name = [&["jolly-broom".to_owned()][..], path].concat().join("-");
        let page = std::fs::read_to_string(pages.join(format!("{name}.1"))).unwrap();
        let page = page.replace("\\-", "-");
        let words: Vec<&str> = path.iter().map(String::as_str).chain(["--"]).collect();
        let offers = offered(&demo, &words);
        for option in options {
            assert!(
                page.contains(&format!("\\fB{option}\\fR")),
                "{name}.1 lacks {option}"
            );
            assert!(
                offers.contains(option),
                "{name} isn't completed by {option}: {offers:?}"
            );
        }
        let unknown: Vec<_> = offers.difference(options).collect();
        assert!(
            unknown.is_empty(),
            "{name} is completed by {unknown:?}, which its help lacks"
        );
    }
    for shell in ["bash", "zsh", "fish"] {
        let script = demo.bare(&["completions", shell]);
        assert!(
            script.code == 0 && script.out.contains("jolly-broom"),
            "{shell}"
        );
    }
    assert_eq!(demo.bare(&["completions", "abacus"]).code, 2);
}

#[test]
fn completions_offer_what_this_computer_knows_and_make_nothing() {
    let demo = Demo::new();
    let (target, state) = (demo.root(), demo.state());
    let place = [
        "--target",
        target.to_str().unwrap(),
        "--state",
        state.to_str().unwrap(),
    ];
    let ask = |words: &[&str]| offered(&demo, &[&place[..], words].concat());
    assert!(
        ask(&["log", "show", ""])
            .iter()
            .all(|offer| offer.starts_with('-'))
    );
    assert!(!state.exists(), "a tab makes no state folder");
    // What a disk calls an account is never put onto a command line when it could do something there.
    let users = target.join("etc/passwd");
    let known = std::fs::read_to_string(&users).unwrap();
    let hostile =
        "$(reboot):x:1009:1009::/home/hostile:/bin/sh\n--yes:x:1010:1010::/home/yes:/bin/sh\n";
    std::fs::write(&users, known + hostile).unwrap();
    for home in ["hostile", "yes"] {
        std::fs::create_dir(target.join("home").join(home)).unwrap();
    }
    let accounts = ask(&["scan", "--account", ""]);
    assert_eq!(Vec::from_iter(&accounts), ["joss", "pia", "root", "wren"]);
    assert!(ask(&["scan", "--only", "linux/tr"]).contains("linux/trash"));
    assert_eq!(ask(&["scan", "--class", "fe"]).len(), 1);
    assert_eq!(
        demo.run(&["sweep", "--class", "regrows", "--yes", "-q"])
            .code,
        0
    );
    let run = demo.run(&["log", "list", "--json"]).json()["run"]
        .as_str()
        .unwrap()
        .to_owned();
    let sheet = demo.run(&["sheet", "list", "--json"]).json()["sheet"]
        .as_str()
        .unwrap()
        .to_owned();
    assert!(ask(&["restore", ""]).contains(&run));
    assert!(ask(&["sheet", "show", ""]).contains(&sheet));
}

#[test]
fn the_papers_name_no_command_option_or_picture_that_is_not_there() {
    let demo = Demo::empty();
    let commands = commands(&demo);
    let known: BTreeSet<String> = commands
        .iter()
        .flat_map(|(_, options)| options.clone())
        .collect();
    let first: BTreeSet<&str> = commands
        .iter()
        .filter_map(|(path, _)| path.first().map(String::as_str))
        .collect();
    let papers = papers();
    for (paper, text) in &papers {
        // What a line says of our program, up to what another program in it does.
        let says = |line: &&str| line.contains("jolly-broom ") && !line.contains("cargo ");
        for line in text.lines().filter(says) {
            for said in line.split("jolly-broom ").skip(1) {
                let said = said.split(['`', '|', ';']).next().unwrap_or_default();
                let word = said.split_whitespace().next().unwrap_or_default();
                let is_word = !word.is_empty() && word.chars().all(|it| it.is_ascii_lowercase());
                if line.starts_with("    ") && is_word {
                    assert!(
                        first.contains(word),
                        "{paper} names the command {word}: {line}"
                    );
                }
                for option in options_in(said) {
                    assert!(known.contains(&option), "{paper} names {option}: {line}");
                }
            }
        }
    }
    // The README tells of every command, and of every picture that is kept.
    let (_, readme) = papers
        .iter()
        .find(|(paper, _)| paper.ends_with("README.md"))
        .unwrap();
    for name in &first {
        assert!(readme.contains(name), "the README lacks {name}");
    }
    let pictures = std::fs::read_dir(project().join("docs/screenshots")).unwrap();
    let pictures: Vec<String> = pictures
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    assert!(pictures.len() < 20);
    for picture in &pictures {
        assert!(
            readme.contains(&format!("docs/screenshots/{picture}")),
            "{picture}"
        );
    }
    for (paper, text) in &papers {
        let folder = Path::new(paper).parent().unwrap();
        for link in text
            .split("](")
            .skip(1)
            .filter_map(|rest| rest.split([')', '#']).next())
        {
            let is_file = !link.is_empty() && !link.contains("://");
            assert!(
                !is_file || folder.join(link).exists(),
                "{paper} links to {link}"
            );
        }
    }
}
