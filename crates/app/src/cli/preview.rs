//! `preview`: exactly what would go.

use std::fs::OpenOptions;
use std::io::{self, Write};
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::Path;

use jolly_core::decide::{EntryKind, Manifest, make_manifest, write_plan, write_preview};
use jolly_core::rulebook::Removal;

use crate::cli::{print, scan};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::Session;
use crate::wording::{bytes, counted};

pub(super) fn run(options: &SharedOptions, plan: Option<&Path>) -> Result<Exit, Refusal> {
    let cancel = print::cancel_on_interrupt()?;
    let session = Session::of_options(options)?;
    let (scan, decisions) = scan::scanned(&session, options, &cancel)?;
    let manifest = make_manifest(&scan, &decisions);
    if let Some(file) = plan {
        save(&manifest, file)?;
    }
    if options.json {
        print::result(|out| write_preview(&manifest, out))?;
    } else {
        print::result(|out| write_list(out, &manifest))?;
    }
    Ok(if scan.is_partial {
        Exit::Stopped
    } else {
        Exit::Done
    })
}

fn save(manifest: &Manifest, file: &Path) -> Result<(), Refusal> {
    let refuse = |error: io::Error| {
        let what = io::Error::other(format!("cannot write the plan {}: {error}", file.display()));
        Refusal::failed(&what, "choose a file that can be written")
    };
    let opened = OpenOptions::new()
        .write(true)
        .create(true)
        .truncate(true)
        .mode(0o600)
        .open(file);
    let mut out = io::BufWriter::new(opened.map_err(refuse)?);
    write_plan(manifest, &mut out)
        .and_then(|()| out.flush())
        .map_err(refuse)?;
    out.get_ref().sync_all().map_err(refuse)
}

/// The list for people: one path a line, and the sums.
pub(super) fn write_list(out: &mut dyn Write, manifest: &Manifest) -> io::Result<()> {
    for item in &manifest.items {
        let kind = if item.kind == EntryKind::Folder {
            "folder"
        } else {
            "file"
        };
        let size = if item.kind == EntryKind::Folder {
            String::new()
        } else {
            bytes(item.bytes)
        };
        writeln!(
            out,
            "{:<9} {kind:<6} {size:>10}  {}",
            item.by.name(),
            item.path
        )?;
    }
    write_sums(out, manifest)
}

/// What goes, in two sentences.
pub(super) fn write_sums(out: &mut dyn Write, manifest: &Manifest) -> io::Result<()> {
    let files = |is_aside: bool| {
        let mut sum = jolly_core::scan::Sum::default();
        let items = manifest.items.iter();
        for item in items.filter(|item| item.kind != EntryKind::Folder) {
            if (item.by == Removal::SetAside) != is_aside {
                continue;
            }
            sum.add(jolly_core::scan::Sum {
                items: 1,
                bytes: item.bytes,
            });
        }
        sum
    };
    let (gone, aside) = (files(false), files(true));
    let (many, size) = (counted(gone.items, "file"), bytes(gone.bytes));
    writeln!(out, "{many} would go for good: {size}.")?;
    let (many, size) = (counted(aside.items, "file"), bytes(aside.bytes));
    writeln!(out, "{many} would be set aside: {size}.")?;
    let folders = counted(manifest.folders.items, "folder");
    writeln!(out, "{folders} would be empty afterwards and go, too.")
}
