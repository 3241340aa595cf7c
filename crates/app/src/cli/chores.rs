//! `chores`: upkeep of the running system that isn't files.

use clap::Subcommand;
use jolly_core::CancelToken;
use jolly_core::chores::{Chore, ChoreEnd, ChoreId, ChoreOutcome};
use jolly_core::format::Printable;
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::Session;
use crate::upkeep::{end_in_words, last_in_words, named, prospect};

/// What is asked for.
#[derive(Subcommand)]
pub(super) enum ChoresCommand {
    /// Do some of them, each in view and with a log
    #[command(after_help = "Example: jolly-broom chores run package-cache trim")]
    Run {
        /// Their ids
        #[arg(required = true, value_name = "ID", value_delimiter = ',')]
        ids: Vec<String>,
        /// Also remove packages: without this, it only says which
        #[arg(long)]
        yes: bool,
    },
}

pub(super) fn run(
    options: &SharedOptions,
    command: Option<&ChoresCommand>,
) -> Result<Exit, Refusal> {
    let ids = match command {
        Some(ChoresCommand::Run { ids, .. }) => parse(ids)?,
        None => Vec::new(),
    };
    let session = Session::of_options(options)?;
    let cancel = print::cancel_on_interrupt()?;
    let chores = session.chores(&cancel);
    if chores.is_empty() {
        print::message("Chores are for the system that runs here; this is another one.");
        return Ok(if ids.is_empty() {
            Exit::Done
        } else {
            Exit::SomeStayed
        });
    }
    match command {
        None => list(options, &chores),
        Some(ChoresCommand::Run { yes, .. }) => {
            do_them(options, &session, (&named(&chores, &ids), *yes), &cancel)
        }
    }
}

/// The chores of these names.
pub(super) fn parse(ids: &[String]) -> Result<Vec<ChoreId>, Refusal> {
    let parse = |id: &String| {
        ChoreId::of(id).ok_or_else(|| {
            let names: Vec<&str> = ChoreId::ALL.into_iter().map(ChoreId::name).collect();
            let shown = Printable(id.as_bytes());
            Refusal::bad_words(
                &format!("there is no chore {shown}"),
                &format!("there are {}", names.join(", ")),
            )
        })
    };
    ids.iter().map(parse).collect()
}

fn list(options: &SharedOptions, chores: &[Chore]) -> Result<Exit, Refusal> {
    for chore in chores {
        if options.json {
            print::json(&json!({
                "id": chore.id.name(), "title": chore.id.title(), "does": chore.id.does(),
                "available": chore.can.is_ok(), "reason": chore.can.as_ref().err(),
                "gives": chore.gives, "packages": chore.packages, "last": chore.last,
            }))?;
            continue;
        }
        let (id, title) = (chore.id.name(), chore.id.title());
        let (says, last) = (prospect(chore), last_in_words(chore));
        let mark = if chore.can.is_ok() { " " } else { "–" };
        print::result(|out| {
            writeln!(out, "{mark} {id:<18} {title:<24} last: {last}")?;
            writeln!(out, "    {}", chore.id.does())?;
            if says.is_empty() {
                return Ok(());
            }
            writeln!(out, "    {}", Printable(says.as_bytes()))
        })?;
    }
    Ok(Exit::Done)
}

/// Does them one after the other.
pub(super) fn do_them(
    options: &SharedOptions,
    session: &Session,
    (chores, is_meant): (&[&Chore], bool),
    cancel: &CancelToken,
) -> Result<Exit, Refusal> {
    let mut exit = Exit::Done;
    for chore in chores {
        if chore.id == ChoreId::UnneededPackages && chore.can.is_ok() && !is_meant {
            let packages = chore.packages.join(", ");
            let packages = Printable(packages.as_bytes());
            print::message(&format!(
                "This would remove {packages}; add --yes to do it."
            ));
            continue;
        }
        let mut shown = View::default();
        let end = session.do_chore(chore, cancel, &mut |bytes| shown.take(bytes));
        shown.end();
        tell(options, &end)?;
        match end.outcome {
            ChoreOutcome::NotThere if exit == Exit::Done => exit = Exit::SomeStayed,
            ChoreOutcome::Done | ChoreOutcome::NotThere => {}
            ChoreOutcome::Failed | ChoreOutcome::GivenUp => exit = Exit::Failed,
            ChoreOutcome::Stopped => return Ok(Exit::Stopped),
        }
    }
    Ok(exit)
}

fn tell(options: &SharedOptions, end: &ChoreEnd) -> Result<(), Refusal> {
    if options.json {
        return print::json(&json!({
            "id": end.id.name(), "outcome": end.outcome.name(), "says": end.says,
            "came_back": end.came_back, "runs": end.runs,
        }));
    }
    print::result(|out| writeln!(out, "{}", end_in_words(end)))
}

/// What a tool writes, line by line, as it comes.
#[derive(Default)]
struct View(Vec<u8>);

impl View {
    fn take(&mut self, bytes: &[u8]) {
        for byte in bytes {
            if matches!(byte, b'\n' | b'\r') {
                self.end();
            } else {
                self.0.push(*byte);
            }
        }
    }

    fn end(&mut self) {
        let line = std::mem::take(&mut self.0);
        if !line.trim_ascii().is_empty() {
            print::note(&format!("  {}", Printable(&line)));
        }
    }
}
