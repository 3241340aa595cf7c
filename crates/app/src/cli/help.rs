//! The help of each command: only what it uses.

use std::ffi::OsString;

use clap::Command;
use clap::builder::StyledStr;

/// What every command that looks at a computer uses.
const WHERE: [&str; 7] = [
    "target",
    "layout",
    "state",
    "now",
    "json",
    "same_computer",
    "help",
];

/// What is said of how much is told.
const TALK: [&str; 3] = ["quiet", "verbose", "no_progress"];

/// What decides what goes.
const CHOICE: [&str; 10] = [
    "rulebook",
    "only",
    "skip",
    "class",
    "account",
    "older_than",
    "exclude",
    "keep_site",
    "all",
    "aged_by",
];

/// What a command uses beside its own options.
fn used_by(command: &str) -> &'static [&'static [&'static str]] {
    match command {
        "demo" => &[&["state", "layout", "ascii", "light", "plain", "help"]],
        "scan" | "preview" => &[&WHERE, &TALK, &CHOICE],
        "sweep" => &[&WHERE, &TALK, &CHOICE, &["dustpan"]],
        "dustpan" => &[
            &["state", "dustpan", "json", "now", "same_computer", "help"],
            &TALK,
        ],
        "log" | "restore" => &[&WHERE, &TALK, &["dustpan"]],
        "sheet" => &[&["state", "json", "help"], &TALK],
        "sites" => &[&WHERE, &["keep_site"]],
        "extensions" | "programs" => &[&WHERE],
        "space" | "copies" | "rescue" | "pack" | "unpack" => &[&WHERE, &TALK],
        "startup" => &[&WHERE, &["quiet"]],
        "report" | "schedule" | "status" => &[&["state", "target", "help"]],
        "rules" => &[&["target", "layout", "rulebook", "json", "state", "help"]],
        _ => &[],
    }
}

/// The help of the command that these arguments name, without what it doesn't use. Such options may be
/// given all the same: scripts hand the same ones to every command.
pub(super) fn of(mut command: Command, arguments: impl Iterator<Item = OsString>) -> StyledStr {
    // Only then do the commands have the options that all share.
    command.build();
    let shared: Vec<String> = command
        .get_arguments()
        .filter(|argument| argument.is_global_set())
        .map(|argument| argument.get_id().to_string())
        .collect();
    let mut used: &[&[&str]] = &[];
    for argument in arguments {
        // Values of options could be called as a command; then the help is that command's.
        let Some(name) = argument.to_str() else {
            continue;
        };
        if name == "help" {
            continue;
        }
        if let Some(below) = command.find_subcommand(name).cloned() {
            if used.is_empty() {
                used = used_by(name);
            }
            command = below;
        }
    }
    if !used.is_empty() {
        command = hide(command, &shared, used);
    }
    command.render_help()
}

/// Hides what isn't used.
fn hide(mut command: Command, shared: &[String], used: &[&[&str]]) -> Command {
    let is_used = |id: &str| used.iter().any(|some| some.contains(&id));
    let own: Vec<String> = command
        .get_arguments()
        .map(|argument| argument.get_id().to_string())
        .collect();
    for id in own.iter().filter(|id| shared.contains(id) && !is_used(id)) {
        command = command.mut_arg(id, |argument| argument.hide(true));
    }
    command
}
