//! What the shell offers at a tab: commands and options from the arguments, and values that this computer knows.
//!
//! The shell's script calls the program with [`ASKS`] set; nothing is written or made meanwhile, and what can't be read
//! offers nothing.

use std::io;

use clap::{Command, CommandFactory as _, FromArgMatches as _};
use clap_complete::engine::CompletionCandidate;
use clap_complete::env::{CompleteEnv, Shells};
use jolly_core::computer::Layout;
use jolly_core::format::Printable;
use jolly_core::rule::Class;
use jolly_core::state::{SheetStore, StateFolder};

use crate::cli::{Arguments, help, print};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::{Session, open_state};

/// The variable by which a shell's script asks.
const ASKS: &str = "JOLLY_BROOM_COMPLETE";

const NAME: &str = "jolly-broom";

fn commands() -> Command {
    help::with_used_options(Arguments::command().disable_help_subcommand(true))
}

/// Answers a shell that asks what could come next; whether one did.
pub(super) fn answer() -> bool {
    let asked = CompleteEnv::with_factory(commands).var(ASKS);
    let here = std::env::current_dir().ok();
    // A shell that can't be told shows no offers, and its person goes on typing.
    asked
        .try_complete(std::env::args_os(), here.as_deref())
        .unwrap_or(true)
}

/// The shells that there is a script for.
pub(super) fn shells() -> Vec<CompletionCandidate> {
    let shells = Shells::builtins();
    shells.names().map(CompletionCandidate::new).collect()
}

/// Prints the script that a shell reads once.
pub(super) fn script(shell: &str) -> Result<Exit, Refusal> {
    let shells = Shells::builtins();
    let Some(known) = shells.completer(shell) else {
        let what = format!(
            "there is no script for the shell \"{}\"",
            Printable(shell.as_bytes())
        );
        let names: Vec<_> = shells.names().collect();
        return Err(Refusal::bad_words(
            &what,
            &format!("there are some for {}", names.join(", ")),
        ));
    };
    print::result(|out| known.write_registration(ASKS, NAME, NAME, NAME, out))?;
    Ok(Exit::Done)
}

/// What the words so far say that commands share.
fn options() -> SharedOptions {
    let words = std::env::args_os().skip_while(|word| word != "--").skip(1);
    let read = Arguments::command()
        .ignore_errors(true)
        .try_get_matches_from(words);
    read.ok()
        .and_then(|words| SharedOptions::from_arg_matches(&words).ok())
        .unwrap_or_default()
}

fn state() -> Option<StateFolder> {
    open_state(&options()).ok()
}

/// What a shell may put on a line as it is: a disk may call an account as it likes.
fn offer(value: &str, says: &str) -> Option<CompletionCandidate> {
    let is_plain = |letter: char| letter.is_alphanumeric() || "-_./@".contains(letter);
    if value.starts_with('-') || !value.chars().all(is_plain) {
        return None;
    }
    let says = Printable(says.as_bytes()).to_string();
    let says = (!says.is_empty()).then(|| says.into());
    Some(CompletionCandidate::new(value).help(says))
}

/// The runs that have a log, the latest first.
pub(super) fn runs() -> Vec<CompletionCandidate> {
    let runs = state().and_then(|state| state.runs().ok());
    let ids = runs.unwrap_or_default().into_iter().rev();
    ids.map(|run| CompletionCandidate::new(run.to_string()))
        .collect()
}

/// The job sheets.
pub(super) fn sheets() -> Vec<CompletionCandidate> {
    let store = state().and_then(|state| SheetStore::open_existing(&state).ok().flatten());
    let sheets = store.and_then(|store| store.all().ok()).unwrap_or_default();
    let offered = sheets.iter();
    offered
        .filter_map(|sheet| offer(&sheet.sheet, sheet.shown_name()))
        .collect()
}

/// The rules in force on the target.
pub(crate) fn rules() -> Vec<CompletionCandidate> {
    with_session(|session| {
        let rules = session.rules.iter();
        rules
            .filter_map(|(_, rule)| offer(&rule.id, &rule.rule.title))
            .collect()
    })
}

/// The accounts of the target.
pub(crate) fn accounts() -> Vec<CompletionCandidate> {
    with_session(|session| {
        let accounts = session.target.accounts.iter();
        accounts
            .filter_map(|account| offer(&account.name.to_string(), ""))
            .collect()
    })
}

/// Nothing where the target can't be opened.
fn with_session(
    offers: impl FnOnce(&Session) -> Vec<CompletionCandidate>,
) -> Vec<CompletionCandidate> {
    let options = options();
    let session = Session::of_options(&options).ok();
    session.as_ref().map_or_else(Vec::new, offers)
}

/// The classes.
pub(crate) fn classes() -> Vec<CompletionCandidate> {
    let classes = Class::ALL.into_iter();
    classes
        .filter_map(|class| offer(class.name(), class.meaning()))
        .collect()
}

/// The layouts.
pub(crate) fn layouts() -> Vec<CompletionCandidate> {
    let names = Layout::NAMES.iter();
    names.map(CompletionCandidate::new).collect()
}

/// Prints the manual page of the program, or writes those of all commands into a folder.
pub(super) fn manual(folder: Option<&std::path::Path>) -> Result<Exit, Refusal> {
    let commands = commands();
    let Some(folder) = folder else {
        let page = clap_mangen::Man::new(commands);
        print::result(|out| page.render(out))?;
        return Ok(Exit::Done);
    };
    clap_mangen::generate_to(commands, folder).map_err(|error| {
        let what = io::Error::new(error.kind(), format!("{}: {error}", folder.display()));
        Refusal::failed(&what, "name a folder that is there and can be written")
    })?;
    Ok(Exit::Done)
}
