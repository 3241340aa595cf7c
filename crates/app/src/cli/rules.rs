//! `rules`: what is in force, and why.

use std::path::{Path, PathBuf};

use jolly_core::rule::{CompiledRule, RuleSet, Section, Verdict, run_examples, run_hostile_home};
use serde_json::json;

use crate::books::read_book_to_check;
use crate::cli::{RulesCommand, print};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::Session;
use crate::standing::stays_because;
use crate::wording::{count, counted};

/// How many things of a hostile home are named one by one.
const MOST_TOLD: usize = 20;

pub(super) fn run(options: &SharedOptions, command: &RulesCommand) -> Result<Exit, Refusal> {
    match command {
        RulesCommand::List => list(options),
        RulesCommand::Check { files } => check(options, files),
        RulesCommand::Explain { path } => explain_path(options, path),
    }
}

fn places(rule: &CompiledRule) -> Vec<String> {
    rule.rule.within.iter().map(ToString::to_string).collect()
}

fn list(options: &SharedOptions) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let off = session.rules_off();
    for (number, rule) in session.rules.iter() {
        let is_off = off.contains(&number);
        let limit = rule.rule.age.limit.map(|limit| limit.to_string());
        if options.json {
            let mut line = json!({
                "rule": rule.id,
                "book": rule.file,
                "title": rule.rule.title,
                "section": rule.rule.section.map(Section::name),
                "class": rule.rule.class.name(),
                "in": places(rule),
                "age": limit,
                "by": rule.rule.removal().name(),
            });
            // Said only where it is so: it is not in force on this computer.
            if is_off {
                line["off"] = true.into();
            }
            print::json(&line)?;
        } else {
            let (class, title) = (rule.rule.class.name(), &rule.rule.title);
            let limit = limit.unwrap_or_else(|| "any age".to_owned());
            print::result(|out| {
                let places = places(rule).join(" ");
                let note = if is_off {
                    "  off for this computer"
                } else {
                    ""
                };
                writeln!(
                    out,
                    "{:<26} {class:<8} {limit:<10} {title:<32} {places}{note}",
                    rule.id
                )
            })?;
        }
    }
    Ok(Exit::Done)
}

fn check(options: &SharedOptions, files: &[PathBuf]) -> Result<Exit, Refusal> {
    let mut exit = Exit::Done;
    for file in files {
        let (name, text) = read_book_to_check(file)?;
        let rules = match RuleSet::compile(&[(name.clone(), text)]) {
            Ok(rules) => rules,
            Err(error) => {
                print::message(&error.to_string());
                exit = Exit::BadInput;
                continue;
            }
        };
        if !check_one(options, &name, &rules)? {
            exit = Exit::BadInput;
        }
    }
    Ok(exit)
}

/// Runs a book's own examples, and holds it against the hostile home of its layout; whether it passes.
fn check_one(options: &SharedOptions, name: &str, rules: &RuleSet) -> Result<bool, Refusal> {
    let (examples, failures) = run_examples(rules, name);
    for failure in &failures {
        print::message(&format!("jolly-broom: {name}: {failure}"));
    }
    let (precious, taken) = run_hostile_home(rules);
    for taken in taken.iter().take(MOST_TOLD) {
        print::message(&format!("jolly-broom: {name}: {taken}"));
    }
    if let Some(more) = taken.len().checked_sub(MOST_TOLD).filter(|more| *more > 0) {
        print::message(&format!(
            "jolly-broom: {name}: and {more} more of the hostile home"
        ));
    }
    let (many, failed) = (rules.iter().count(), failures.len());
    if options.json {
        print::json(&json!({
            "book": name,
            "rules": many,
            "examples": examples,
            "failed": failed,
            "hostile-home": { "things": precious, "taken": taken.len() },
        }))?;
    } else {
        let (many, examples) = (
            counted(many as u64, "rule"),
            counted(examples as u64, "example"),
        );
        let (things, taken) = (count(precious as u64), taken.len());
        print::result(|out| {
            writeln!(
                out,
                "{name}: {many}, {examples}, {failed} failed; of {things} things in a hostile home {taken} would go"
            )
        })?;
    }
    Ok(failures.is_empty() && taken.is_empty())
}

fn explain_path(options: &SharedOptions, path: &Path) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let (path, found) = session.explain(path)?;
    let rule = found.rule.map(|number| session.rules.rule(number));
    let stays = stays_because(&session, &path, &found);
    if options.json {
        print::json(&json!({
            "verdict": found.verdict.name(),
            "rule": rule.map(|rule| &rule.id),
            "line": rule.map(|rule| rule.line),
            "book": rule.map(|rule| &rule.file),
            "reason": found.reason,
            "exists": found.exists,
            "stays": stays,
        }))?;
    } else {
        print::result(|out| {
            let absent = if found.exists {
                ""
            } else {
                " (it is not there)"
            };
            let verdict = found.verdict.name();
            match &stays {
                Some(why) => {
                    writeln!(out, "{path}{absent}: stays: {why}")?;
                    writeln!(out, "  by its rule {verdict}, {}", found.reason)?;
                }
                None if found.verdict == Verdict::NotMine => {
                    writeln!(out, "{path}{absent}: {}", found.reason)?;
                }
                None => writeln!(out, "{path}{absent}: {verdict}, {}", found.reason)?,
            }
            match rule {
                Some(rule) => writeln!(
                    out,
                    "  {} · {} · {} line {}",
                    rule.rule.title, rule.id, rule.file, rule.line
                ),
                None => Ok(()),
            }
        })?;
    }
    Ok(Exit::Done)
}
