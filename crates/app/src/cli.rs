//! The command line: what can be asked for, and who answers.

mod chores;
pub(crate) mod complete;
mod copies;
mod demo;
mod dustpan;
mod extensions;
mod forget;
mod help;
mod log;
mod pack;
mod preview;
mod print;
mod programs;
mod report;
mod rescue;
mod restore;
mod rules;
mod scan;
mod schedule;
mod sheet;
mod sites;
mod space;
mod startup;
mod status;
mod sweep;
mod unattended;
mod wipe;

use std::path::PathBuf;
use std::process::ExitCode;

use clap::error::ErrorKind;
use clap::{Args, CommandFactory as _, Parser, Subcommand};
use clap_complete::engine::ArgValueCandidates;

use crate::exit::Exit;
use crate::options::{Looks, SharedOptions, Talk};
use crate::tui;

/// Weigh what has piled up on a slow computer, and sweep what is safe to go.
#[derive(Parser)]
#[command(
    version,
    after_help = "Without a command the interface opens.\n\nExample: jolly-broom --target /mnt/office\n\nExit codes: 0 as planned, 1 failed, 2 bad input, 3 done but some items stayed, 130 stopped."
)]
struct Arguments {
    #[command(subcommand)]
    command: Option<Command>,
    #[command(flatten)]
    shared: SharedOptions,
    #[command(flatten)]
    looks: Looks,
    #[command(flatten)]
    talk: Talk,
}

#[derive(Subcommand)]
enum Command {
    /// Build the demo computer and open it
    #[command(after_help = "Example: jolly-broom demo --layout windows")]
    Demo {
        /// Only build it, in this folder, which must be empty or absent
        #[arg(long, value_name = "DIR")]
        build: Option<PathBuf>,
        /// The same computer so many weeks on, after a first visit; with --build one that is in the folder grows
        #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=i64::from(jolly_demo::MOST_WEEKS)))]
        weeks_later: Option<u32>,
    },
    /// Scan, and print the piles
    #[command(after_help = "Example: jolly-broom scan --target /mnt/office --class spent,regrows")]
    Scan(scan::ScanOptions),
    /// Scan, and print what would go
    #[command(
        after_help = "Example: jolly-broom preview --older-than \"3 months\" --plan list.plan"
    )]
    Preview {
        /// Write the exact list to a file, for `sweep --plan`
        #[arg(long, value_name = "FILE")]
        plan: Option<PathBuf>,
    },
    /// Remove what the decisions take, or exactly what a plan holds
    #[command(after_help = "Example: jolly-broom sweep --exclude 'home/pia/**' --yes")]
    Sweep(SweepOptions),
    /// Bring back what a run set aside
    #[command(after_help = "Example: jolly-broom restore 20261129-171151-009-29669 home/pia")]
    Restore {
        /// The run's id
        #[arg(add = ArgValueCandidates::new(complete::runs))]
        run: String,
        /// Only these, and what lies below them; all of it otherwise
        #[arg(value_name = "PATH")]
        paths: Vec<PathBuf>,
        /// Of a list only the entry of this address, of a registry the key or value of this path
        #[arg(long = "in", value_name = "TEXT", requires = "paths")]
        within: Option<String>,
    },
    /// What was set aside and waits
    #[command(after_help = "Example: jolly-broom dustpan list")]
    Dustpan {
        #[command(subcommand)]
        command: DustpanCommand,
    },
    /// The logs of runs
    #[command(after_help = "Example: jolly-broom log list")]
    Log {
        #[command(subcommand)]
        command: LogCommand,
    },
    /// Write what a run did to a file: a page for the customer, a table, or everything; or how many computers stand
    #[command(
        after_help = "Example: jolly-broom report 20261129-171151-009-29669 --out till.pdf\n\nOf many: jolly-broom report --fleet sheets --out fleet.pdf"
    )]
    Report(report::ReportOptions),
    /// What is in the home of an account, and what of it is packed into one archive on another disk
    #[command(
        after_help = "Example: jolly-broom rescue wren --to /media/stick Documents Pictures\n\nWithout --to it says what is in the home."
    )]
    Rescue(rescue::RescueOptions),
    /// Keep a file or folder packed beside itself, in an archive that anybody can open
    #[command(after_help = "Example: jolly-broom pack home/pia/Documents/season-2019")]
    Pack(pack::PackOptions),
    /// Take what is kept packed out of its archive again, exactly as it was
    #[command(after_help = "Example: jolly-broom unpack home/pia/Documents/season-2019.tar.zst")]
    Unpack(pack::UnpackOptions),
    /// Upkeep that isn't files: what each does, and when it was done last
    #[command(after_help = "Example: jolly-broom chores run package-cache trim")]
    Chores {
        #[command(subcommand)]
        command: Option<chores::ChoresCommand>,
    },
    /// Write over what is free of a volume, or over a whole disk or image that can be pulled out
    #[command(after_help = "Example: jolly-broom wipe free /mnt/till --yes")]
    Wipe {
        #[command(subcommand)]
        command: wipe::WipeCommand,
    },
    /// What starts by itself, at boot and at sign-in
    #[command(after_help = "Example: jolly-broom startup --target /mnt/till")]
    Startup {
        #[command(subcommand)]
        command: Option<StartupCommand>,
    },
    /// The web sites that browsers know, and what each left there
    #[command(after_help = "Example: jolly-broom sites --keep-site tides.example")]
    Sites,
    /// What was added to browsers, what it may do, and where it came from
    #[command(after_help = "Example: jolly-broom extensions --target /mnt/till")]
    Extensions,
    /// The programs of a computer, and what each really occupies
    #[command(after_help = "Example: jolly-broom programs --target /mnt/till --left-behind")]
    Programs {
        /// What programs that are gone left behind, with the evidence
        #[arg(long)]
        left_behind: bool,
    },
    /// Files that are there twice: as pairs of folders, then the rest
    #[command(after_help = "Example: jolly-broom copies home/pia home/joss")]
    Copies {
        /// Only what lies below these folders
        #[arg(value_name = "DIR")]
        folders: Vec<PathBuf>,
    },
    /// What occupies the space, by folder and by when it was used last
    #[command(after_help = "Example: jolly-broom space home --out space.svg")]
    Space(space::SpaceOptions),
    /// Job sheets: each computer with its visits
    #[command(after_help = "Example: jolly-broom sheet list")]
    Sheet {
        #[command(subcommand)]
        command: SheetCommand,
    },
    /// Leave a computer without anything of ours: its job sheet and logs are taken along first
    #[command(after_help = "Example: jolly-broom forget 3f9a --to /media/stick")]
    Forget(forget::ForgetOptions),
    /// Print a timer and a cron line that sweep by job sheets; installs nothing
    #[command(after_help = "Example: jolly-broom schedule --sheet 3f9a04be12cd")]
    Schedule {
        /// The sheets
        #[arg(long, value_name = "ID", required = true, value_delimiter = ',', add = ArgValueCandidates::new(complete::sheets))]
        sheet: Vec<String>,
    },
    /// How a computer stands, in one line for monitoring systems: 0 well, 1 warning, 2 critical, 3 not known
    #[command(after_help = "Example: jolly-broom status --sheet 3f9a04be12cd")]
    Status {
        /// The sheet
        #[arg(long, value_name = "ID", add = ArgValueCandidates::new(complete::sheets))]
        sheet: String,
    },
    /// The rules in force
    #[command(after_help = "Example: jolly-broom rules explain /tmp/dump-4411.bin")]
    Rules {
        #[command(subcommand)]
        command: RulesCommand,
    },
    /// Print the script by which a shell completes commands, options, runs, sheets, rules and accounts
    #[command(
        after_help = "Example: jolly-broom completions bash > ~/.local/share/bash-completion/completions/jolly-broom"
    )]
    Completions {
        /// The shell: bash, zsh, fish, elvish or powershell
        #[arg(add = ArgValueCandidates::new(complete::shells))]
        shell: String,
    },
    /// Print the manual page, or write those of all commands into a folder
    #[command(after_help = "Example: jolly-broom man | man -l -")]
    Man {
        /// A folder that is there
        #[arg(long, value_name = "DIR")]
        out: Option<PathBuf>,
    },
}

#[derive(Args)]
struct SweepOptions {
    /// Carry out this plan and nothing else
    #[arg(long, value_name = "FILE", conflicts_with_all = ["only", "skip", "class", "account", "older_than", "exclude", "keep_site", "all"])]
    plan: Option<PathBuf>,
    /// What this job sheet remembers and allows, without a person
    #[arg(long, value_name = "ID", conflicts_with_all = ["plan", "only", "class", "account", "older_than", "all"], add = ArgValueCandidates::new(complete::sheets))]
    sheet: Option<String>,
    /// Do it; without this, it only says what it would do
    #[arg(long)]
    yes: bool,
    /// Make every check and remove nothing
    #[arg(long)]
    rehearse: bool,
    /// Have the file system keep all as it is before anything goes, where it can (Btrfs): nothing is freed until that is let go of
    #[arg(long)]
    restore_point: bool,
    /// Do these chores afterwards; never without a person
    #[arg(
        long,
        value_name = "ID",
        value_delimiter = ',',
        conflicts_with = "sheet"
    )]
    chores: Vec<String>,
}

#[derive(Subcommand)]
enum DustpanCommand {
    /// Every dustpan that still holds something
    #[command(after_help = "Example: jolly-broom dustpan list --json")]
    List,
    /// Let go of what a run set aside, for good
    #[command(after_help = "Example: jolly-broom dustpan empty 20261129-171151-009-29669 --yes")]
    Empty {
        /// The run's id
        #[arg(add = ArgValueCandidates::new(complete::runs))]
        run: String,
        /// Do it; without this, it only says what it would do
        #[arg(long)]
        yes: bool,
    },
}

#[derive(Subcommand)]
enum LogCommand {
    /// Every run
    #[command(after_help = "Example: jolly-broom log list")]
    List,
    /// Every item of a run
    #[command(after_help = "Example: jolly-broom log show 20261129-171151-009-29669")]
    Show {
        /// The run's id
        #[arg(add = ArgValueCandidates::new(complete::runs))]
        run: String,
    },
    /// Whether a log is as it was written
    #[command(after_help = "Example: jolly-broom log verify 20261129-171151-009-29669")]
    Verify {
        /// The run's id
        #[arg(add = ArgValueCandidates::new(complete::runs))]
        run: String,
    },
    /// Settle runs that broke off, by looking
    #[command(after_help = "Example: jolly-broom log recover --target /mnt/office")]
    Recover,
}

#[derive(Subcommand)]
enum StartupCommand {
    /// Turn some off
    #[command(after_help = "Example: jolly-broom startup off autostart:pia:knotbook.desktop")]
    Off {
        /// Their ids
        #[arg(required = true, value_name = "ID")]
        ids: Vec<String>,
    },
    /// Turn some on again
    #[command(after_help = "Example: jolly-broom startup on autostart:pia:knotbook.desktop")]
    On {
        /// Their ids
        #[arg(required = true, value_name = "ID")]
        ids: Vec<String>,
    },
}

/// The same as a picture.
#[derive(Args)]
struct PictureOptions {
    /// Draw it, too: a file that ends with .pdf or .svg
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// Replace the file where there is one
    #[arg(long, requires = "out")]
    force: bool,
}

#[derive(Subcommand)]
enum SheetCommand {
    /// Every computer that was visited
    #[command(after_help = "Example: jolly-broom sheet list --json")]
    List,
    /// One computer with its visits
    #[command(after_help = "Example: jolly-broom sheet show 3f9a2c1d04be --out visits.pdf")]
    Show {
        /// The sheet's id, or how it begins
        #[arg(add = ArgValueCandidates::new(complete::sheets))]
        sheet: String,
        #[command(flatten)]
        picture: PictureOptions,
    },
    /// Say whose a computer is
    #[command(
        after_help = "Example: jolly-broom sheet name 3f9a \"Otter Quay, till\" --note \"asks for pia\""
    )]
    Name {
        /// The sheet's id, or how it begins
        #[arg(add = ArgValueCandidates::new(complete::sheets))]
        sheet: String,
        /// Whose it is
        name: String,
        /// What there is to note of it
        #[arg(long, value_name = "TEXT")]
        note: Option<String>,
    },
    /// Say what may go at a computer without a person: classes by --class, never ask; `none` for nothing
    #[command(
        after_help = "Example: jolly-broom sheet allow 3f9a --class spent,regrows --below 15 --at-most 20GiB --minutes 30"
    )]
    Allow {
        /// The sheet's id, or how it begins
        #[arg(add = ArgValueCandidates::new(complete::sheets))]
        sheet: String,
        /// Only when less than so many percent of its volume are free
        #[arg(long, value_name = "PERCENT", value_parser = clap::value_parser!(u8).range(1..=99))]
        below: Option<u8>,
        /// At most so much at once, such as 20GiB
        #[arg(long, value_name = "SIZE")]
        at_most: Option<bytesize::ByteSize>,
        /// At most so many minutes at once; what isn't reached goes the next time
        #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=10_000))]
        minutes: Option<u32>,
    },
    /// Print a sheet for another bench
    #[command(after_help = "Example: jolly-broom sheet export 3f9a --out till.json")]
    Export {
        /// The sheet's id, or how it begins
        #[arg(add = ArgValueCandidates::new(complete::sheets))]
        sheet: String,
        /// Write it to this new file
        #[arg(long, value_name = "FILE")]
        out: Option<PathBuf>,
    },
    /// Take in sheets of another bench
    #[command(after_help = "Example: jolly-broom sheet import till.json yard.json")]
    Import {
        /// The files
        #[arg(required = true, value_name = "FILE")]
        files: Vec<PathBuf>,
    },
}

#[derive(Subcommand)]
enum RulesCommand {
    /// Every rule in force
    #[command(after_help = "Example: jolly-broom rules list --layout windows")]
    List,
    /// Check rulebooks and run their examples
    #[command(after_help = "Example: jolly-broom rules check own.toml")]
    Check {
        /// The rulebooks
        #[arg(required = true)]
        files: Vec<PathBuf>,
    },
    /// Which rule has a path, and why
    #[command(after_help = "Example: jolly-broom rules explain /tmp/dump-4411.bin")]
    Explain {
        /// A path on the target
        path: PathBuf,
    },
}

/// Runs the program.
pub(crate) fn run() -> ExitCode {
    if complete::answer() {
        return Exit::Done.into();
    }
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) if error.kind() == ErrorKind::DisplayHelp => {
            let help = help::of(Arguments::command(), std::env::args_os().skip(1));
            return print::help(&help).into();
        }
        Err(error) => {
            let exit = if error.use_stderr() {
                Exit::BadInput
            } else {
                Exit::Done
            };
            // Nobody is left to tell when even the message can't be printed.
            return error.print().map_or(Exit::Failed, |()| exit).into();
        }
    };
    let Arguments {
        command,
        shared,
        looks,
        talk,
    } = arguments;
    print::set_talk(talk);
    let ended = match command {
        None => tui::open(&shared, &looks, tui::Source::Machine),
        Some(Command::Demo { build, weeks_later }) => match build {
            Some(folder) => demo::build(&shared, &folder, weeks_later),
            None => demo::open(&shared, &looks, weeks_later),
        },
        Some(Command::Scan(wished)) => scan::run(&shared, &wished),
        Some(Command::Preview { plan }) => preview::run(&shared, plan.as_deref()),
        Some(Command::Sweep(options)) => sweep::run(&shared, &options),
        Some(Command::Restore { run, paths, within }) => {
            let wanted = restore::Wanted {
                run: &run,
                paths: &paths,
                within: within.as_deref(),
            };
            restore::run(&shared, &wanted)
        }
        Some(Command::Report(wanted)) => report::run(&shared, &wanted),
        Some(Command::Dustpan { command }) => dustpan::run(&shared, &command),
        Some(Command::Log { command }) => log::run(&shared, &command),
        Some(Command::Rescue(options)) => rescue::run(&shared, &options),
        Some(Command::Pack(options)) => pack::pack(&shared, &options),
        Some(Command::Unpack(options)) => pack::unpack(&shared, &options),
        Some(Command::Chores { command }) => chores::run(&shared, command.as_ref()),
        Some(Command::Wipe { command }) => wipe::run(&shared, &command),
        Some(Command::Startup { command }) => startup::run(&shared, command.as_ref()),
        Some(Command::Sites) => sites::run(&shared),
        Some(Command::Extensions) => extensions::run(&shared),
        Some(Command::Programs { left_behind }) => programs::run(left_behind, &shared),
        Some(Command::Copies { folders }) => copies::run(&shared, &folders),
        Some(Command::Space(options)) => space::run(&shared, &options),
        Some(Command::Sheet { command }) => sheet::run(&shared, &command),
        Some(Command::Forget(wanted)) => forget::run(&shared, &wanted),
        Some(Command::Schedule { sheet }) => schedule::run(&shared, &sheet),
        Some(Command::Status { sheet }) => return status::run(&shared, &sheet),
        Some(Command::Rules { command }) => rules::run(&shared, &command),
        Some(Command::Completions { shell }) => complete::script(&shell),
        Some(Command::Man { out }) => complete::manual(out.as_deref()),
    };
    let exit = ended.unwrap_or_else(|refusal| {
        print::message(&format!("jolly-broom: {}", refusal.message));
        refusal.exit
    });
    exit.into()
}
