//! Packing what stays where it lies, by a file system that can: it goes on being read and written as before.

use std::os::fd::{AsFd as _, AsRawFd as _, BorrowedFd};
use std::time::Duration;

use jolly_disk::{Kind, shares_bytes};

use crate::computer::{BTRFS_TOOL, TargetPath};
use crate::host::{Tool, mount_of};
use crate::packing::PackError;
use crate::packing::gain_of;
use crate::run::packing::{PackSummary, Packing, look_at, worth_it};
use crate::state::lock;

/// How long the file system's tool may take to write all of it anew.
const PATIENCE: Duration = Duration::from_hours(6);

/// Has the file system (Btrfs) pack a file or folder in place from now on, and write it anew: by its own tool. What shares its
/// bytes with something else, such as a restore point, is refused: writing it anew would take room and not give any.
///
/// # Errors
/// When the file system can't, it would gain too little, or something shares its bytes; then nothing was changed. When its tool
/// fails or was stopped some of it may be packed by then, which changes nothing about what it holds.
pub fn pack_in_place(work: &Packing<'_>, path: &TargetPath) -> Result<PackSummary, PackError> {
    let target = work.target;
    let disk = &**target.disk();
    let refuse = |why| PackError::MayNot {
        path: path.to_string(),
        why,
    };
    if mount_of(target.root_path()).is_none_or(|mount| mount.kind != "btrfs") {
        return Err(refuse(
            "its file system can't pack in place: that takes Btrfs",
        ));
    }
    let _lock = lock(target, work.state)?;
    let (opened, tree) = look_at(target, work.own, path, work.cancel)?;
    let place = opened.place(disk);
    let failed = |verb| place.failed(b"", verb);
    for thing in tree
        .things
        .iter()
        .filter(|thing| thing.stat.kind == Kind::File)
    {
        let lies = if thing.below.is_empty() {
            path.clone()
        } else {
            let lies = path.join(&thing.below).map_err(std::io::Error::other);
            lies.map_err(failed("looked for"))?
        };
        let folder = disk.open_folder(target.root(), lies.folder_bytes());
        let file = folder.and_then(|folder| disk.open_file(&folder, lies.as_name()));
        let file = file.map_err(failed("opened"))?;
        if shares_bytes(&file) {
            return Err(refuse(
                "a restore point or a clone has the same bytes: writing it anew would take room",
            ));
        }
    }
    worth_it(place, gain_of(place, &tree))?;
    let before = target.measure().map_or(0, |volume| volume.free);
    if opened.stat.kind == Kind::Folder {
        let folder = disk.open_folder(target.root(), path.as_bytes());
        let folder = folder.map_err(failed("opened"))?;
        have_packed(work, folder.as_fd(), &["-r"]).map_err(failed("packed in place"))?;
    } else {
        let file = disk.open_file(&opened.folder, &opened.name);
        let file = file.map_err(failed("opened"))?;
        have_packed(work, file.as_fd(), &[]).map_err(failed("packed in place"))?;
    }
    disk.sync_volume(&opened.folder)
        .map_err(failed("brought to the disk"))?;
    let after = target.measure().map_or(0, |volume| volume.free);
    let held = tree.held();
    Ok(PackSummary {
        path: path.clone(),
        before: held,
        after: held.saturating_sub(after.saturating_sub(before)),
        note: None,
    })
}

/// Asks the tool, by what is open: no name is followed.
fn have_packed(work: &Packing<'_>, opened: BorrowedFd<'_>, how: &[&str]) -> std::io::Result<()> {
    let dot = if how.is_empty() { "" } else { "/." };
    let lies = format!(
        "/proc/{}/fd/{}{dot}",
        std::process::id(),
        opened.as_raw_fd()
    );
    let set = ["property", "set", &lies, "compression", "zstd"];
    let anew: Vec<&str> = ["filesystem", "defragment"]
        .into_iter()
        .chain(how.iter().copied())
        .chain(["-czstd", &lies])
        .collect();
    for words in [&set[..], &anew] {
        let tool = Tool::at(&BTRFS_TOOL, words);
        let tool =
            tool.ok_or_else(|| std::io::Error::other("the program btrfs isn't installed here"))?;
        let answer = tool.ask_until(work.cancel, PATIENCE)?;
        if !answer.status.success() {
            let said = crate::format::Printable(answer.errors.trim().as_bytes()).to_string();
            return Err(std::io::Error::other(said));
        }
    }
    Ok(())
}
