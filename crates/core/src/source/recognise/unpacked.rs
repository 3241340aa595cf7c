//! Archives beside the folder that they were unpacked to.

use std::ffi::CString;
use std::ops::ControlFlow;

use jolly_disk::Kind;

use crate::computer::Target;
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

/// Endings of archives, in small letters.
const ENDINGS: [&[u8]; 8] = [
    b".tar.gz",
    b".tar.xz",
    b".tar.bz2",
    b".tar.zst",
    b".tgz",
    b".zip",
    b".7z",
    b".rar",
];

/// The ending by which a name in small letters says that it is an archive.
pub(crate) fn archive_ending(name: &[u8]) -> Option<&'static [u8]> {
    let mut endings = ENDINGS.into_iter();
    endings.find(|ending| name.ends_with(ending))
}

pub(crate) fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    let name = candidate.name.to_bytes();
    let ending = archive_ending(&name.to_ascii_lowercase());
    let stem = ending.and_then(|ending| name.get(..name.len() - ending.len()));
    let Some(folder) = stem.and_then(|stem| CString::new(stem).ok()) else {
        return Finding::Not;
    };
    let disk = target.disk();
    let stat = disk.stat(candidate.folder, &folder);
    if candidate.kind != Kind::File || !stat.is_ok_and(|stat| stat.kind == Kind::Folder) {
        return Finding::Not;
    }
    let Ok(opened) = disk.open_folder(candidate.folder, folder.to_bytes()) else {
        return Finding::Unclear("the folder beside an archive can't be opened");
    };
    let mut is_empty = true;
    let listed = disk.list(&opened, &mut |_| {
        is_empty = false;
        ControlFlow::Break(())
    });
    match listed {
        Err(_) => Finding::Unclear("the folder beside an archive can't be read"),
        Ok(()) if is_empty => Finding::Not,
        Ok(()) => Finding::Is(Reason::Unpacked(shown(folder.to_bytes()))),
    }
}
