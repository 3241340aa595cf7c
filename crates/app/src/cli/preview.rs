//! `preview`: exactly what would go.

use std::io::{self, Write};
use std::panic::resume_unwind;
use std::path::Path;
use std::thread;

use jolly_core::CancelToken;
use jolly_core::computer::EntryKind;
use jolly_core::plan::{
    Manifest, make_manifest, safety_copies, sign_ins_lost, write_plan, write_preview,
};
use jolly_core::rule::Removal;

use crate::cli::{print, scan};
use crate::exit::{Exit, Refusal};
use crate::new_file::{Existing, Readers, write_file};
use crate::options::SharedOptions;
use crate::session::Session;
use crate::wording::{about, bytes, copied_first, counted, signs_in_again};

pub(super) fn run(options: &SharedOptions, plan: Option<&Path>) -> Result<Exit, Refusal> {
    let cancel = print::cancel_on_interrupt()?;
    let session = Session::of_options(options)?;
    let (scan, decisions) = scan::scanned(&session, options, &cancel)?;
    let manifest = make_manifest(&scan, &decisions);
    // The plan is written while the list is printed: of very many items each takes its time.
    let (saved, printed) = thread::scope(|scope| {
        let saved = plan.map(|file| scope.spawn(|| save(&manifest, file)));
        let printed = if options.json {
            print::result(|out| write_preview(&manifest, out))
        } else {
            print::result(|out| write_list(out, &manifest))
        };
        let saved = saved.map_or(Ok(()), |saved| {
            saved.join().unwrap_or_else(|panic| resume_unwind(panic))
        });
        (saved, printed)
    });
    saved?;
    printed?;
    if !options.json {
        write_about_profiles(&session, &manifest, &cancel)?;
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
    let access = (Existing::IsReplaced, Readers::Owner);
    write_file(file, access, &mut |out| write_plan(manifest, out)).map_err(refuse)
}

/// The list for people: one path a line, and the sums.
pub(super) fn write_list(out: &mut dyn Write, manifest: &Manifest) -> io::Result<()> {
    for item in &manifest.items {
        let (kind, size) = match item.kind {
            EntryKind::Folder => ("folder", String::new()),
            EntryKind::File => ("file", bytes(item.bytes)),
            EntryKind::Link => ("link", bytes(item.bytes)),
            EntryKind::ListEntry => {
                let kind = item.entry.map_or("entry", |entry| entry.list.item_name());
                (kind, about(item.bytes))
            }
        };
        writeln!(
            out,
            "{:<9} {kind:<6} {size:>10}  {}",
            item.by.name(),
            item.shown()
        )?;
    }
    write_sums(out, manifest)
}

/// Who will have to sign in again, and what is copied before that.
pub(super) fn write_about_profiles(
    session: &Session,
    manifest: &Manifest,
    cancel: &CancelToken,
) -> Result<(), Refusal> {
    for lost in sign_ins_lost(&session.target, manifest, manifest.now, cancel) {
        print::result(|out| writeln!(out, "{}.", signs_in_again(&lost)))?;
    }
    let copies = safety_copies(&session.target, manifest);
    if !copies.is_empty() {
        print::result(|out| writeln!(out, "Before that {}.", copied_first(&copies)))?;
    }
    Ok(())
}

/// What goes, in two sentences.
pub(super) fn write_sums(out: &mut dyn Write, manifest: &Manifest) -> io::Result<()> {
    let takes = manifest.takes_by_way();
    let files = |is_it: &dyn Fn(Removal) -> bool| {
        let mut sum = jolly_core::pile::Sum::default();
        let some = takes.iter().filter(|(by, _)| is_it(**by));
        some.for_each(|(_, takes)| sum.add(*takes));
        sum
    };
    let (aside, shared) = (
        files(&|by| by == Removal::SetAside),
        files(&Removal::keeps_name),
    );
    let gone = files(&|by| by != Removal::SetAside && !by.keeps_name());
    let (many, size) = (counted(gone.items, "item"), bytes(gone.bytes));
    writeln!(out, "{many} would go for good: {size}.")?;
    let (many, size) = (counted(aside.items, "item"), bytes(aside.bytes));
    if aside.items > 0 {
        writeln!(out, "{many} would be set aside: {size}.")?;
    }
    let (many, size) = (counted(shared.items, "item"), bytes(shared.bytes));
    if shared.items > 0 {
        writeln!(
            out,
            "{many} would share the bytes of those that stay: {size}."
        )?;
    }
    if manifest.folders.items > 0 {
        let folders = counted(manifest.folders.items, "folder");
        writeln!(out, "{folders} would be left empty and go, too.")?;
    }
    Ok(())
}
