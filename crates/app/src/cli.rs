//! The command line: what can be asked for, and who answers.

mod demo;
mod log;
mod preview;
mod print;
mod rules;
mod scan;
mod sweep;

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand};

use crate::exit::{Exit, Refusal};
use crate::session::Session;
use crate::tui;

pub(crate) use sweep::run_id;

/// Weigh what has piled up on a slow computer, and sweep what is safe to go.
#[derive(Parser)]
#[command(
    version,
    after_help = "Exit codes: 0 as planned, 1 failed, 2 bad input, 3 done but some items stayed, 130 stopped."
)]
struct Arguments {
    #[command(subcommand)]
    command: Option<Command>,
    #[command(flatten)]
    shared: SharedOptions,
    #[command(flatten)]
    looks: Looks,
}

/// How the interface looks.
#[derive(Args, Clone, Debug, Default)]
pub(crate) struct Looks {
    /// Draw with letters and signs that every terminal has
    #[arg(long, global = true)]
    pub ascii: bool,
    /// Draw dark on light
    #[arg(long, global = true)]
    pub light: bool,
}

#[derive(Subcommand)]
enum Command {
    /// Build the demo computer and open it
    Demo {
        /// Only build it, in this folder, which must be empty or absent
        #[arg(long, value_name = "DIR")]
        build: Option<PathBuf>,
    },
    /// Scan, and print the piles
    Scan,
    /// Scan, and print what would go
    Preview {
        /// Write the exact list to a file, for `sweep --plan`
        #[arg(long, value_name = "FILE")]
        plan: Option<PathBuf>,
    },
    /// Remove what the decisions take, or exactly what a plan holds
    Sweep(SweepOptions),
    /// The logs of runs
    Log {
        #[command(subcommand)]
        command: LogCommand,
    },
    /// The rules in force
    Rules {
        #[command(subcommand)]
        command: RulesCommand,
    },
}

#[derive(Args)]
struct SweepOptions {
    /// Carry out this plan and nothing else
    #[arg(long, value_name = "FILE", conflicts_with_all = ["only", "skip", "class", "account", "older_than", "exclude", "all"])]
    plan: Option<PathBuf>,
    /// Do it; without this, it only says what it would do
    #[arg(long)]
    yes: bool,
    /// Make every check and remove nothing
    #[arg(long)]
    rehearse: bool,
}

#[derive(Subcommand)]
enum LogCommand {
    /// Every run
    List,
    /// Every item of a run
    Show {
        /// The run's id
        run: String,
    },
    /// Whether a log is as it was written
    Verify {
        /// The run's id
        run: String,
    },
    /// Settle runs that broke off, by looking
    Recover,
}

#[derive(Subcommand)]
enum RulesCommand {
    /// Every rule in force
    List,
    /// Check rulebooks and run their examples
    Check {
        /// The rulebooks
        #[arg(required = true)]
        files: Vec<PathBuf>,
    },
    /// Which rule has a path, and why
    Explain {
        /// A path on the target
        path: PathBuf,
    },
}

/// What scan, preview, sweep and the interface share.
#[derive(Args, Clone, Debug, Default)]
pub(crate) struct SharedOptions {
    /// The root that is worked on [default: /]
    #[arg(long, global = true, value_name = "DIR")]
    pub target: Option<PathBuf>,
    /// The family of system on it: linux [default: recognised]
    #[arg(long, global = true)]
    pub layout: Option<String>,
    /// A rulebook to put before the built-in one
    #[arg(long, global = true, value_name = "FILE")]
    pub rulebook: Vec<PathBuf>,
    /// Only this rule
    #[arg(long, global = true, value_name = "RULE")]
    pub only: Vec<String>,
    /// Not this rule
    #[arg(long, global = true, value_name = "RULE")]
    pub skip: Vec<String>,
    /// Only this class: spent, regrows, felt, ask
    #[arg(long, global = true)]
    pub class: Vec<String>,
    /// Only this account
    #[arg(long, global = true, value_name = "NAME")]
    pub account: Vec<String>,
    /// Raise every age limit to at least this
    #[arg(long, global = true, value_name = "AGE", allow_hyphen_values = true)]
    pub older_than: Option<String>,
    /// Spare what this pattern matches
    #[arg(long, global = true, value_name = "GLOB")]
    pub exclude: Vec<String>,
    /// Take also piles that start left
    #[arg(long, global = true)]
    pub all: bool,
    /// Print JSON
    #[arg(long, global = true)]
    pub json: bool,
    /// Where logs are kept [default: the XDG state folder]
    #[arg(long, global = true, value_name = "DIR")]
    pub state: Option<PathBuf>,
    /// The moment that ages count from
    #[arg(long, global = true, value_name = "TIME")]
    pub now: Option<String>,
}

impl SharedOptions {
    /// Opens what the options name, on the default target where they name none.
    pub(crate) fn open(&self) -> Result<Session, Refusal> {
        let root = PathBuf::from("/");
        Session::open(self, self.target.as_ref().unwrap_or(&root))
    }
}

/// Runs the program.
pub(crate) fn run() -> Exit {
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let exit = if error.use_stderr() {
                Exit::BadInput
            } else {
                Exit::Done
            };
            // Nobody is left to tell when even the message can't be printed.
            return error.print().map_or(Exit::Failed, |()| exit);
        }
    };
    let Arguments {
        command,
        shared,
        looks,
    } = arguments;
    let ended = match command {
        None => tui::open(&shared, &looks),
        Some(Command::Demo {
            build: Some(folder),
        }) => demo::build(&shared, &folder),
        Some(Command::Demo { build: None }) => demo::open(&shared, &looks),
        Some(Command::Scan) => scan::run(&shared),
        Some(Command::Preview { plan }) => preview::run(&shared, plan.as_deref()),
        Some(Command::Sweep(options)) => sweep::run(&shared, &options),
        Some(Command::Log { command }) => log::run(&shared, &command),
        Some(Command::Rules { command }) => rules::run(&shared, &command),
    };
    match ended {
        Ok(exit) => exit,
        Err(refusal) => {
            print::message(&format!("jolly-broom: {}", refusal.message));
            refusal.exit
        }
    }
}
