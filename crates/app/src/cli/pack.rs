//! `pack` and `unpack`: what is kept and never used, packed beside itself.

use std::cell::Cell;
use std::path::PathBuf;

use clap::Args;
use jolly_core::computer::TargetPath;
use jolly_core::packing::PackError;
use jolly_core::run::PackSummary;
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::packing::{PackWay, why_not};
use crate::session::Session;
use crate::wording::bytes;

/// What is packed.
#[derive(Args)]
pub(super) struct PackOptions {
    /// What is packed
    #[arg(required = true, value_name = "PATH")]
    paths: Vec<PathBuf>,
    /// Say what it would gain, and change nothing
    #[arg(long)]
    dry_run: bool,
    /// Have the file system pack it where it lies, and go on reading and writing it as before (Btrfs)
    #[arg(long, conflicts_with = "dry_run")]
    in_place: bool,
}

/// What comes out of its archive.
#[derive(Args)]
pub(super) struct UnpackOptions {
    /// The archives
    #[arg(required = true, value_name = "ARCHIVE")]
    paths: Vec<PathBuf>,
}

pub(super) fn pack(options: &SharedOptions, wanted: &PackOptions) -> Result<Exit, Refusal> {
    if wanted.in_place {
        return in_place(options, &wanted.paths);
    }
    run(options, (&wanted.paths, PackWay::In), wanted.dry_run)
}

pub(super) fn unpack(options: &SharedOptions, wanted: &UnpackOptions) -> Result<Exit, Refusal> {
    run(options, (&wanted.paths, PackWay::Out), false)
}

fn in_place(options: &SharedOptions, paths: &[PathBuf]) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let cancel = print::cancel_on_interrupt()?;
    let mut exit = Exit::Done;
    for path in paths {
        let path = session.path_on_target(path)?;
        match session.pack_in_place(&path, &cancel) {
            Ok(packed) => {
                tell(options, &path, &packed)?;
            }
            Err(error) => exit = told(&error, paths.len())?,
        }
    }
    Ok(exit)
}

fn run(
    options: &SharedOptions,
    (paths, way): (&[PathBuf], PackWay),
    is_dry: bool,
) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let cancel = print::cancel_on_interrupt()?;
    let paths = paths.iter().map(|path| session.path_on_target(path));
    let paths = paths.collect::<Result<Vec<TargetPath>, Refusal>>()?;
    for note in session.look_after() {
        print::note(&note);
    }
    let mut exit = Exit::Done;
    for path in &paths {
        let done = if is_dry && way == PackWay::In {
            weigh(options, &session, path)
        } else {
            let progress = print::Progress::new();
            let (moved, of) = (Cell::new(0_u64), Cell::new(0_u64));
            if way == PackWay::In
                && let Ok(gain) = session.weigh_packing(path, &cancel)
            {
                of.set(gain.size);
            }
            let heard = |many: u64| {
                moved.set(moved.get().saturating_add(many));
                progress.moved(moved.get(), of.get());
            };
            let packed = session.pack(path, way, (&cancel, &heard));
            progress.end();
            packed.map(|packed| tell(options, path, &packed))
        };
        match done {
            Ok(told) => {
                if told? {
                    exit = Exit::SomeStayed;
                }
            }
            Err(error) => exit = told(&error, paths.len())?,
        }
        if exit == Exit::Stopped {
            break;
        }
    }
    Ok(exit)
}

/// Tells what packing would gain; whether it would be left.
fn weigh(
    options: &SharedOptions,
    session: &Session,
    path: &TargetPath,
) -> Result<Result<bool, Refusal>, PackError> {
    let gain = session.weigh_packing(path, &jolly_core::CancelToken::default())?;
    let printed = if options.json {
        print::json(&json!({
            "path": path.to_string(), "size": gain.size, "held": gain.held,
            "packed": gain.packed, "worth": gain.is_worth_it(),
        }))
    } else {
        let (held, packed) = (bytes(gain.held), bytes(gain.packed));
        let but = if gain.is_worth_it() {
            ""
        } else {
            "; not worth it, it would be left"
        };
        print::result(|out| writeln!(out, "{path}: {held} would become about {packed}{but}"))
    };
    Ok(printed.map(|()| false))
}

/// Tells what became of a thing; whether something of it stays to be seen to.
fn tell(options: &SharedOptions, path: &TargetPath, packed: &PackSummary) -> Result<bool, Refusal> {
    if options.json {
        print::json(&json!({
            "path": path.to_string(), "result": packed.path.to_string(),
            "before": packed.before, "after": packed.after, "note": packed.note,
        }))?;
    } else {
        let (before, after) = (bytes(packed.before), bytes(packed.after));
        let now = &packed.path;
        print::result(|out| writeln!(out, "{path}: {before} → {now}, {after}"))?;
    }
    if let Some(note) = &packed.note {
        print::message(&format!("jolly-broom: {path}: {note}"));
    }
    Ok(packed.note.is_some())
}

/// Tells why a thing stays as it is, and how the command ends for it.
fn told(error: &PackError, many: usize) -> Result<Exit, Refusal> {
    let is_bad = match error {
        PackError::Stopped => {
            print::message("jolly-broom: stopped; it is as it was");
            return Ok(Exit::Stopped);
        }
        PackError::MayNot { .. } | PackError::NoArchive { .. } | PackError::Exists { .. } => true,
        PackError::Disk { source, .. } => source.kind() == std::io::ErrorKind::NotFound,
        _ => false,
    };
    let message = why_not(error);
    if is_bad && many == 1 {
        return Err(Refusal::bad_words(&message, "nothing was touched"));
    }
    print::message(&format!("jolly-broom: {message}"));
    let stays = matches!(
        error,
        PackError::NoGain { .. } | PackError::Changed { .. } | PackError::InUse { .. }
    );
    Ok(if many == 1 && !stays {
        Exit::Failed
    } else {
        Exit::SomeStayed
    })
}
