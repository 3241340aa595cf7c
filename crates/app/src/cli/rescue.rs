//! `rescue`: what is in a home, and what of it is packed into one archive on another disk.

use std::cell::Cell;
use std::path::{Path, PathBuf};

use clap::Args;
use jolly_core::computer::{Account, TargetPath};
use jolly_core::format::Printable;
use jolly_core::packing::{HomeContents, HomeSum, PackError};
use jolly_core::run::RescueSummary;
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::packing::why_not;
use crate::session::{Session, clock};
use crate::wording::{bytes, counted, since};

/// What is to be rescued.
#[derive(Args)]
pub(super) struct RescueOptions {
    /// Whose home
    #[arg(value_name = "ACCOUNT")]
    name: String,
    /// The folder that the archive comes into
    #[arg(long, value_name = "DIR")]
    to: Option<PathBuf>,
    /// Who gets the archive, by name or number; otherwise whoever runs this
    #[arg(long, value_name = "USER", requires = "to")]
    owner: Option<String>,
    /// Only these; all of the home otherwise
    #[arg(value_name = "PATH")]
    paths: Vec<PathBuf>,
}

pub(super) fn run(options: &SharedOptions, wanted: &RescueOptions) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let cancel = print::cancel_on_interrupt()?;
    let accounts = &session.target.accounts;
    let account = accounts.iter().find(|one| *one.name == wanted.name);
    let Some(account) = account else {
        let shown = Printable(wanted.name.as_bytes());
        let names: Vec<&str> = accounts.iter().map(|one| &*one.name).collect();
        return Err(Refusal::bad_words(
            &format!("nobody here is called {shown}"),
            &format!("here are {}", names.join(", ")),
        ));
    };
    let Some(to) = &wanted.to else {
        let contents = session.home_contents(account, &cancel);
        return show(options, account, &contents.map_err(|error| refuse(&error))?);
    };
    let owner = wanted.owner.as_deref().map(owner_of).transpose()?;
    let paths = wanted
        .paths
        .iter()
        .map(|path| in_home(&session, account, path));
    let paths = paths.collect::<Result<Vec<TargetPath>, Refusal>>()?;
    for note in session.look_after() {
        print::note(&note);
    }
    let progress = print::Progress::new();
    let moved = Cell::new(0_u64);
    let heard = |many: u64| {
        moved.set(moved.get().saturating_add(many));
        progress.moved(moved.get(), 0);
    };
    let rescued = session.rescue(account, (&paths, to, owner), (&cancel, &heard));
    progress.end();
    match rescued {
        Ok(rescued) => tell(options, &rescued),
        Err(PackError::Stopped) => {
            print::message("jolly-broom: stopped; there is no archive");
            Ok(Exit::Stopped)
        }
        Err(error) => Err(refuse(&error)),
    }
}

fn refuse(error: &PackError) -> Refusal {
    let is_bad = match error {
        PackError::MayNot { .. } => true,
        PackError::Disk { source, .. } => source.kind() == std::io::ErrorKind::NotFound,
        _ => false,
    };
    Refusal {
        exit: if is_bad { Exit::BadInput } else { Exit::Failed },
        message: format!(
            "{}\n  there is no archive; the home is as it was",
            why_not(error)
        ),
    }
}

/// A path in a home as a person gives it: below the home, or as any other.
fn in_home(session: &Session, account: &Account, path: &Path) -> Result<TargetPath, Refusal> {
    use std::os::unix::ffi::OsStrExt as _;
    let target = &session.target;
    let below = account.home.join(path.as_os_str().as_bytes()).ok();
    let is_there = |path: &TargetPath| {
        let folder = target
            .disk()
            .open_folder(target.root(), path.folder_bytes());
        folder.is_ok_and(|folder| target.disk().stat(&folder, path.as_name()).is_ok())
    };
    match below.filter(|below| path.is_relative() && is_there(below)) {
        Some(below) => Ok(below),
        None => session.path_on_target(path),
    }
}

/// A user of this machine, by name or number.
fn owner_of(text: &str) -> Result<(u32, u32), Refusal> {
    let refuse = || {
        let shown = Printable(text.as_bytes());
        Refusal::bad_words(
            &format!("{shown} is no user of this machine"),
            "name one, or give a number such as 1000",
        )
    };
    let passwd = std::fs::read_to_string("/etc/passwd").unwrap_or_default();
    for line in passwd.lines() {
        let fields: Vec<&str> = line.split(':').collect();
        if let [name, _, user, group, ..] = fields[..]
            && (name == text || user == text)
            && let (Ok(user), Ok(group)) = (user.parse(), group.parse())
        {
            return Ok((user, group));
        }
    }
    let number: u32 = text.parse().map_err(|_no_number| refuse())?;
    Ok((number, number))
}

fn tell(options: &SharedOptions, rescued: &RescueSummary) -> Result<Exit, Refusal> {
    if options.json {
        print::json(&json!({
            "archive": rescued.archive, "hashes": rescued.hashes, "files": rescued.files,
            "bytes": rescued.bytes, "packed": rescued.packed, "left": rescued.left,
            "same_volume": rescued.is_on_same_volume,
        }))?;
    } else {
        let (files, held) = (counted(rescued.files, "file"), bytes(rescued.bytes));
        let packed = bytes(rescued.packed);
        let archive = rescued.archive.display();
        print::result(|out| {
            writeln!(
                out,
                "{archive}: {files}, {held}, packed {packed}; read back and compared"
            )?;
            writeln!(out, "{}", rescued.hashes.display())
        })?;
        print::note("unpacked, `sha256sum -c` checks it by the second file");
    }
    for left in &rescued.left {
        print::message(&format!("jolly-broom: left out: {left}"));
    }
    if rescued.is_on_same_volume {
        print::message(
            "jolly-broom: it lies on the volume that it came from: it goes when that goes",
        );
    }
    Ok(if rescued.left.is_empty() {
        Exit::Done
    } else {
        Exit::SomeStayed
    })
}

fn show(
    options: &SharedOptions,
    account: &Account,
    contents: &HomeContents,
) -> Result<Exit, Refusal> {
    let now = clock().as_second();
    if options.json {
        let sum = |sum: &HomeSum| json!({ "files": sum.files, "bytes": sum.bytes, "changed": sum.changed });
        let sorts = contents.sorts.iter();
        print::json(&json!({
            "account": account.name.to_string(), "home": account.home.to_string(),
            "whole": sum(&contents.whole),
            "sorts": sorts.map(|(sort, own)| json!({ "sort": sort.plural(), "sum": sum(own) })).collect::<Vec<_>>(),
            "folders": contents.folders.iter().map(|(path, own)| json!({ "path": path.to_string(), "sum": sum(own) })).collect::<Vec<_>>(),
            "guarded": contents.guarded.iter().map(ToString::to_string).collect::<Vec<_>>(),
        }))?;
    } else {
        print::result(|out| {
            let line = |sum: &HomeSum| {
                let (held, files) = (bytes(sum.bytes), counted(sum.files, "file"));
                format!("{held:>10}  {files:<16} last {}", since(sum.changed, now))
            };
            writeln!(
                out,
                "{:<28} {}",
                account.home.to_string(),
                line(&contents.whole)
            )?;
            for (sort, sum) in &contents.sorts {
                writeln!(out, "  {:<26} {}", sort.plural(), line(sum))?;
            }
            writeln!(out)?;
            for (path, sum) in &contents.folders {
                writeln!(
                    out,
                    "  {:<26} {}",
                    Printable(path.name()).to_string(),
                    line(sum)
                )?;
            }
            if !contents.guarded.is_empty() {
                writeln!(out)?;
            }
            contents
                .guarded
                .iter()
                .try_for_each(|path| writeln!(out, "  keys, passwords or mail: {path}"))
        })?;
    }
    for unread in &contents.unread {
        print::message(&format!("jolly-broom: not read: {unread}"));
    }
    Ok(Exit::Done)
}
