//! The help of each command: only what it uses.

use clap::Command;

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
        "report" => &[&["state", "target", "help"]],
        "rules" => &[&["target", "layout", "rulebook", "json", "state", "help"]],
        _ => &[],
    }
}

/// The command line with a help for each command that leaves out what it doesn't use. Such options
/// may be given all the same: scripts hand the same ones to every command.
pub(super) fn command(mut command: Command) -> Command {
    // Only then do the commands have the options that all share.
    command.build();
    let shared: Vec<String> = command
        .get_arguments()
        .filter(|argument| argument.is_global_set())
        .map(|argument| argument.get_id().to_string())
        .collect();
    let names: Vec<String> = command
        .get_subcommands()
        .map(|sub| sub.get_name().to_owned())
        .collect();
    for name in names {
        let used = used_by(&name);
        if !used.is_empty() {
            command = command.mut_subcommand(&name, |sub| hide(sub, &shared, used));
        }
    }
    command
}

/// Hides what isn't used, in a command and in those below it.
fn hide(mut command: Command, shared: &[String], used: &[&[&str]]) -> Command {
    let is_used = |id: &str| used.iter().any(|some| some.contains(&id));
    let own: Vec<String> = command
        .get_arguments()
        .map(|argument| argument.get_id().to_string())
        .collect();
    for id in own.iter().filter(|id| shared.contains(id) && !is_used(id)) {
        command = command.mut_arg(id, |argument| argument.hide(true));
    }
    let names: Vec<String> = command
        .get_subcommands()
        .map(|sub| sub.get_name().to_owned())
        .collect();
    for name in names {
        command = command.mut_subcommand(&name, |sub| hide(sub, shared, used));
    }
    command
}
