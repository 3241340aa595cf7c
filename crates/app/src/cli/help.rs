//! The help of each command: only what it uses.

use std::ffi::OsString;

use clap::builder::StyledStr;
use clap::{Command, Id};

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
        "forget" => &[&["state", "help"], &TALK],
        "sites" => &[&WHERE, &["keep_site"]],
        "extensions" | "programs" => &[&WHERE],
        "space" | "copies" | "rescue" | "pack" | "unpack" => &[&WHERE, &TALK],
        "startup" => &[&WHERE, &["quiet"]],
        "report" | "schedule" | "status" => &[&["state", "target", "now", "help"]],
        "rules" => &[&["target", "layout", "rulebook", "json", "state", "help"]],
        "completions" | "man" => &[&["help"]],
        _ => &[],
    }
}

/// The help of the command that these arguments name.
pub(super) fn of(command: Command, arguments: impl Iterator<Item = OsString>) -> StyledStr {
    let mut command = with_used_options(command);
    for argument in arguments {
        // Values of options could be called as a command; then the help is that command's.
        let named = argument.to_str().filter(|name| *name != "help");
        if let Some(below) = named.and_then(|name| command.find_subcommand(name)) {
            command = below.clone();
        }
    }
    command.render_help()
}

/// The whole command line, each command without the options that it doesn't use. Such options may be given all the same:
/// scripts hand the same ones to every command.
pub(super) fn with_used_options(mut command: Command) -> Command {
    // Only then do the commands have the options that all share.
    command.build();
    let shared: Vec<Id> = command
        .get_arguments()
        .filter(|argument| argument.is_global_set())
        .map(|argument| argument.get_id().clone())
        .collect();
    command.mut_subcommands(|below| match used_by(below.get_name()) {
        [] => below,
        used => hide(below, &shared, used),
    })
}

fn hide(mut command: Command, shared: &[Id], used: &[&[&str]]) -> Command {
    let is_used = |id: &Id| used.iter().any(|some| some.contains(&id.as_str()));
    for id in shared.iter().filter(|id| !is_used(id)) {
        command = command.mut_arg(id, |argument| argument.hide(true));
    }
    command.mut_subcommands(|below| match below.get_name() {
        "help" => below,
        _ => hide(below, shared, used),
    })
}
