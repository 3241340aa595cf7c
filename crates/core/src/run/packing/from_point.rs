//! Bringing a single thing back from the restore point that was made before a run.

use jolly_disk::{Disk, Folder};

use crate::computer::TargetPath;
use crate::dustpan::{PART, Staging};
use crate::packing::{
    PackError, RESERVE, TreeRoot, Trust, Unfit, look, read_archive, remove_own, write_archive,
};
use crate::run::packing::{Opened, PackSummary, Packing, come_out};
use crate::state::lock;

/// What it is copied through, beside what comes out of it.
const COPY: &std::ffi::CStr = c"copy";

/// Copies what lies at a path in a restore point of a run to where it lay, onto nothing that is there; it is compared before it
/// gets its name. The point is left as it is. One that died is cleared up by the next for the same path.
///
/// # Errors
/// When it isn't in the point, something is there by now, its folder is gone, or it can't be copied whole; then nothing is
/// there that wasn't.
pub fn bring_back_from_point(
    work: &Packing<'_>,
    point: &TargetPath,
    path: &TargetPath,
) -> Result<PackSummary, PackError> {
    let target = work.target;
    let disk = &**target.disk();
    let failed = |verb| {
        let path = path.to_string();
        move |source| PackError::Disk { path, verb, source }
    };
    let lies = point.join(path.as_bytes());
    let lies = lies.map_err(|error| failed("looked for")(std::io::Error::other(error)))?;
    let _lock = lock(target, work.state)?;
    let from = Opened::open(target, &lies)?;
    let folder = disk.open_folder(target.root(), path.folder_bytes());
    let folder = folder.map_err(failed("brought back, for its folder can't be opened"))?;
    if disk.stat(&folder, path.as_name()).is_ok() {
        let path = path.to_string();
        return Err(PackError::Exists { path });
    }
    let mut left = Vec::new();
    let tree = look(
        from.place(disk),
        &mut Unfit::LeftOut(&mut left),
        work.cancel,
    )?;
    let free = disk.space(&folder).map_or(u64::MAX, |space| space.free);
    // Once as it is, and once on its way.
    let needs = tree.size().saturating_mul(2).saturating_add(RESERVE);
    if needs > free {
        return Err(PackError::NoRoom { needs, free });
    }
    clear(disk, &folder, work);
    let staging = Staging::open(disk, &folder, (work.run, 0)).map_err(failed("brought back"))?;
    let made = disk.make_file(staging.folder(), COPY);
    let copied = made.map_err(failed("copied")).and_then(|file| {
        let top = path.name();
        write_archive(
            &file,
            &[(from.place(disk), top, &tree)],
            work.cancel,
            work.moved,
        )?;
        let file = disk
            .open_file(staging.folder(), COPY)
            .map_err(failed("read back"))?;
        // Read once here, so that a damaged copy is seen before anything comes out of it.
        drop(read_archive(&file).map_err(failed("read back"))?);
        Ok(file)
    });
    // An open file needs no name, and the folder must hold nothing else at its end.
    drop(disk.unlink(staging.folder(), COPY));
    let back = come_out(work, &staging, (&folder, path), (&copied?, Trust::Full))?;
    drop(disk.sync_volume(&folder));
    let note = left.first().map(|first| {
        format!(
            "{} left out, the first of them: {first}",
            crate::format::counted(left.len() as u64, "thing")
        )
    });
    Ok(PackSummary {
        path: path.clone(),
        before: 0,
        after: back.held(),
        note,
    })
}

/// Takes away what one left that died.
fn clear(disk: &dyn Disk, folder: &Folder, work: &Packing<'_>) {
    if let Some((name, held)) = Staging::left(disk, folder, (work.run, 0)) {
        drop(disk.unlink(&held, COPY));
        let place = TreeRoot {
            disk,
            folder: &held,
            name: PART,
        };
        drop(remove_own(place));
        drop(disk.remove_folder(folder, &name));
    }
}
