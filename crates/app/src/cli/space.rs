//! `space`: what occupies the space of a target.

use std::io;
use std::path::PathBuf;

use clap::Args;
use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::format::Printable;
use jolly_core::report::{Form, space_rows, write_space};
use jolly_core::survey::{Part, Space, Whole, count_pieces, snapshots, space};
use jolly_core::walk::{FolderNumber, walk_tree};

use serde_json::json;

use crate::cli::print;
use crate::cli::report::{existing, no_ending, refuse};
use crate::exit::{Exit, Refusal};
use crate::handover::{ENDINGS, HandoverError, SpaceView, Written, write_space_to};
use crate::options::SharedOptions;
use crate::session::{Session, clock};
use crate::wording::{bytes, count, in_pieces, since};

/// What is asked for.
#[derive(Args)]
pub(super) struct SpaceOptions {
    /// Only what lies below this folder
    #[arg(value_name = "DIR")]
    folder: Option<PathBuf>,
    /// How many files lie in several pieces on the disk instead, and the worst of them
    #[arg(long, conflicts_with_all = ["folder", "out"])]
    pieces: bool,
    /// Write it to a file, too: .svg or .pdf the picture, .csv a table, .json an object a line
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// Replace the file where there is one
    #[arg(long, requires = "out")]
    force: bool,
}

pub(super) fn run(options: &SharedOptions, wanted: &SpaceOptions) -> Result<Exit, Refusal> {
    if wanted.pieces {
        return pieces(options);
    }
    let form = match wanted.out.as_deref() {
        Some(file) => {
            let form = Written::of(file);
            Some((file, form.ok_or_else(|| no_ending(file, ENDINGS))?))
        }
        None => None,
    };
    let session = Session::of_options(options)?;
    let now = session.now.unwrap_or_else(clock);
    let folder = wanted
        .folder
        .as_ref()
        .map(|folder| session.folder_on_target(folder));
    let folder = folder.transpose()?.unwrap_or_default();
    let cancel = print::cancel_on_interrupt()?;
    let (found, start) = look(&session, &folder, &cancel);
    if found.tree.is_partial {
        return Ok(Exit::Stopped);
    }
    for place in &found.tree.unread {
        print::message(&format!("not read  {}: {}", place.place, place.reason));
    }
    for place in &found.tree.apart {
        print::note(&format!(
            "not counted  {place}: another volume, or a part of this one that stands apart"
        ));
    }
    if options.json {
        print::result(|out| write_space(&found, start, Form::Object, out))?;
    } else {
        write(&found, start, now.as_second())?;
    }
    if let Some((file, form)) = form {
        let view = SpaceView {
            space: &found,
            start,
            name: session.shown_name(),
            when: now,
        };
        let written = write_space_to(&view, (file, form), existing(wanted.force));
        written.map_err(|error: HandoverError| refuse(&error))?;
    }
    Ok(Exit::Done)
}

/// Walks the folder, and adds up.
fn look(session: &Session, folder: &TargetPath, cancel: &CancelToken) -> (Space, FolderNumber) {
    let target = &session.target;
    let below = if folder.is_root() {
        Vec::new()
    } else {
        vec![folder.clone()]
    };
    let progress = print::Progress::new();
    let tree = walk_tree(target, &below, cancel, &|news| progress.walk(&news));
    let start = tree.find(folder).unwrap_or(FolderNumber::ROOT);
    let found = space(target, tree);
    if found.may_have_snapshots() {
        found.note_snapshots(snapshots(target, &found.tree, cancel));
    }
    progress.end();
    (found, start)
}

/// Tells how many files lie in several pieces, on whatever disk.
fn pieces(options: &SharedOptions) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let cancel = print::cancel_on_interrupt()?;
    let found = count_pieces(&session.target, &|| cancel.is_cancelled());
    if options.json {
        print::json(&json!({
            "files": found.files, "split": found.split, "pieces": found.pieces,
            "percent": found.percent(), "partial": found.is_least, "mends": found.mends,
            "worst": found.worst.iter().map(|(pieces, size, path)| json!({
                "path": path.to_string(), "pieces": pieces, "size": size,
            })).collect::<Vec<_>>(),
        }))?;
    } else {
        print::result(|out| {
            writeln!(out, "{}", in_pieces(&found))?;
            for (pieces, size, path) in &found.worst {
                writeln!(
                    out,
                    "{:>8} pieces {:>11}  {path}",
                    count(*pieces),
                    bytes(*size)
                )?;
            }
            Ok(())
        })?;
    }
    Ok(if found.is_least {
        Exit::Stopped
    } else {
        Exit::Done
    })
}

/// What is smaller than one part in so many is not printed.
const SMALLEST: u64 = 100;

fn write(found: &Space, start: FolderNumber, now: i64) -> Result<(), Refusal> {
    let all = found.held(Part::Folder(start)).bytes;
    let top = found.path(Part::Folder(start)).parts().count();
    print::result(|out| {
        for part in space_rows(found, start) {
            let held = found.held(part);
            if held.bytes < all / SMALLEST {
                continue;
            }
            let path = found.path(part);
            let depth = path.parts().count() - top;
            let name = if depth == 0 {
                path.to_string()
            } else {
                Printable(path.name()).to_string()
            };
            let indented = format!("{:depth$}{name}", "", depth = depth * 2);
            let used = held.touched.map(|at| since(at, now)).unwrap_or_default();
            writeln!(
                out,
                "{:>10} {:>11} files  {used:<16} {indented}",
                bytes(held.bytes),
                count(held.files)
            )?;
        }
        if found.path(Part::Folder(start)).is_root() {
            write_whole(out, &found.whole())?;
        }
        Ok(())
    })
}

fn write_whole(out: &mut dyn io::Write, whole: &Whole) -> io::Result<()> {
    writeln!(out)?;
    for (held, what) in [
        (whole.counted, "counted"),
        (whole.snapshots, "in snapshots alone, at least"),
        (whole.unexplained, "more, that no file here explains"),
        (whole.shared, "less, since files share blocks"),
        (whole.reserved, "reserved by the file system"),
        (whole.free, "free"),
    ] {
        if held > 0 {
            writeln!(out, "{:>10}  {what}", bytes(held))?;
        }
    }
    writeln!(out, "{:>10}  in all", bytes(whole.size()))
}
