//! What is in a folder that may be a leftover: how much, how old, and whether somebody would miss it.

use jolly_disk::{Folder, Kind};

use crate::cancel::CancelToken;
use crate::computer::{Layout, Target, TargetPath};
use crate::rule::of_folder;
use crate::survey::folders::names_in;
use crate::survey::kept_in::Holds;
use crate::survey::programs::below;

/// Folders within each other, and names in all, that are looked at.
const DEPTH: usize = 24;
const MOST_NAMES: u64 = 200_000;

/// Endings of what people make themselves.
const DOCUMENTS: &str = " .doc .docx .odt .rtf .pdf .ods .xls .xlsx .odp .ppt .pptx .tex .epub .jpg .jpeg .heic .tif \
    .tiff .raw .cr2 .nef .psd .xcf .mp3 .flac .wav .m4a .mp4 .mov .mkv .avi .blend .stl .dwg .kra .vcf .eml .mbox .gpx ";

/// Endings of what people make as well as programs: where most is such, it is somebody's.
const PAPERS: &str = " .md .txt .csv .svg .png .org .ics .zip .py .rs .c .h .sh ";

/// Endings of what games keep of how far somebody is.
const SAVES: &str = " .sav .save .savegame .savestate .ess .profile .slot ";

/// Endings of databases.
const DATABASES: &str = " .db .sqlite .sqlite3 .mdb .accdb .fdb .kdb .realm .ldb ";

/// What was found in it.
#[derive(Debug, Default)]
pub(super) struct Contents {
    pub bytes: u64,
    /// When something in it changed last.
    pub changed: Option<i64>,
    pub documents: u64,
    pub saves: u64,
    pub databases: u64,
    pub keys: u64,
    /// Files that may be started.
    pub programs: u64,
    papers: u64,
    files: u64,
    /// Whether not all of it could be looked at.
    pub is_partial: bool,
    names: u64,
}

/// Looks at a folder or file.
pub(super) fn look(
    target: &Target,
    (path, holds): (&TargetPath, Holds),
    cancel: &CancelToken,
) -> Option<Contents> {
    let disk = &**target.disk();
    let folder = disk.open_folder(target.root(), path.folder_bytes()).ok()?;
    let mut contents = Contents::default();
    add(target, (&folder, path, DEPTH), &mut contents, cancel);
    if contents.papers * 2 > contents.files {
        contents.documents += contents.papers;
    }
    // A cache holds copies, and a program comes with pictures.
    if matches!(holds, Holds::Cache | Holds::Logs | Holds::Program) {
        contents.documents = 0;
    }
    // What was only emptied says when by itself.
    if contents.changed.is_none() {
        let stat = disk.stat(&folder, path.as_name()).ok()?;
        contents.changed = Some(stat.modified.seconds);
    }
    Some(contents)
}

fn add(
    target: &Target,
    (folder, path, depth): (&Folder, &TargetPath, usize),
    contents: &mut Contents,
    cancel: &CancelToken,
) {
    let disk = &**target.disk();
    contents.names += 1;
    let stat = disk.stat(folder, path.as_name());
    let Ok(stat) = stat.inspect_err(|_| contents.is_partial = true) else {
        return;
    };
    if stat.is_mount || contents.names > MOST_NAMES || cancel.is_cancelled() {
        contents.is_partial = true;
        return;
    }
    let name = String::from_utf8_lossy(path.name()).to_lowercase();
    if of_folder(&name).is_some() {
        contents.keys += 1;
    }
    match stat.kind {
        Kind::File => {
            contents.bytes = contents.bytes.saturating_add(stat.allocated);
            contents.changed = contents.changed.max(Some(stat.modified.seconds));
            let ending = name
                .rsplit_once('.')
                .map(|(_, ending)| format!(" .{ending} "));
            let is = |table: &str| {
                ending
                    .as_deref()
                    .is_some_and(|ending| table.contains(ending))
            };
            contents.files += 1;
            // Disks of Windows say of every file that it may be started.
            let starts = match target.layout {
                Layout::Windows => is(" .exe .dll "),
                Layout::Linux | Layout::Macos => stat.mode & 0o111 != 0,
            };
            contents.programs += u64::from(starts);
            contents.documents += u64::from(is(DOCUMENTS));
            contents.papers += u64::from(is(PAPERS));
            contents.saves += u64::from(is(SAVES));
            contents.databases += u64::from(is(DATABASES));
        }
        Kind::Folder if depth > 0 => {
            let Ok(inner) = disk.open_folder(folder, path.name()) else {
                contents.is_partial = true;
                return;
            };
            if ["saves", "savegames", "save games", "saved games"].contains(&&*name) {
                contents.saves += 1;
            }
            for (name, _) in names_in(disk, &inner) {
                let path = below(path, name.to_bytes());
                add(target, (&inner, &path, depth - 1), contents, cancel);
            }
        }
        Kind::Folder => contents.is_partial = true,
        Kind::Link | Kind::Other => {}
    }
}
