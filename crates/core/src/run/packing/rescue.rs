//! Rescuing what somebody kept in a home: one archive on another disk, with a list of hashes, read back and compared.

use std::ffi::{CStr, CString};
use std::fs::File;
use std::io::{self, Read, Write as _};
use std::os::fd::AsFd as _;
use std::path::{Path, PathBuf};

use jolly_disk::{Disk as _, Folder, Metadata, RealDisk, Stat};
use sha2::{Digest as _, Sha256};

use crate::computer::{Account, TargetPath};
use crate::dustpan::{Stoppable, contents, each_entry, metadata_of};
use crate::packing::{
    Compared, PackError, RESERVE, SourceTree, TreeRoot, Unfit, compare_all, look, read_archive,
    write_archive,
};
use crate::rule::Removal;
use crate::run::packing::record::Recorded;
use crate::run::packing::{Opened, Packing};
use crate::state::lock;

/// The rule that its record names.
const RULE: &str = "survey/rescued";

/// What is rescued, and where to.
pub struct RescueOrder<'a> {
    /// Whose home it is.
    pub account: &'a Account,
    /// What of it, by path below the root; the whole home where it is empty.
    pub paths: &'a [TargetPath],
    /// The folder that the archive comes into.
    pub to: &'a Path,
    /// Who gets the archive, by user and group number; whoever runs this otherwise.
    pub owner: Option<(u32, u32)>,
}

/// What a rescue came to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RescueSummary {
    /// The archive.
    pub archive: PathBuf,
    /// The list of hashes, as `sha256sum -c` reads it once the archive was unpacked.
    pub hashes: PathBuf,
    /// How many files are in it.
    pub files: u64,
    /// Their lengths, in bytes.
    pub bytes: u64,
    /// How many bytes the archive takes.
    pub packed: u64,
    /// What was left out, and why.
    pub left: Vec<String>,
    /// Whether it lies on the volume that it came from: then it is no copy that outlives the disk.
    pub is_on_same_volume: bool,
}

/// Something that is rescued.
struct Chosen {
    opened: Opened,
    /// What it is called in the archive: the account, and its path in the home.
    top: Vec<u8>,
    tree: SourceTree,
}

/// Rescues what was chosen of a home. Nothing in the home is changed.
///
/// # Errors
/// When something that was chosen can't be read, the archive can't be written, or what was read back isn't what lies there;
/// then there is no archive.
pub fn rescue(work: &Packing<'_>, order: &RescueOrder<'_>) -> Result<RescueSummary, PackError> {
    let _lock = lock(work.target, work.state)?;
    let mut left = Vec::new();
    let chosen = choose(work, order, &mut left)?;
    let disk = RealDisk;
    let shown = order.to.display().to_string();
    let failed = |verb| {
        let path = shown.clone();
        move |source| PackError::Disk { path, verb, source }
    };
    let to = disk.open_root(order.to).map_err(failed("opened"))?;
    let size = chosen.iter().map(|one| one.tree.size());
    let needs = size.fold(RESERVE, u64::saturating_add);
    let free = disk.space(&to).map_or(u64::MAX, |space| space.free);
    // What doesn't pack must fit, too.
    if needs > free {
        return Err(PackError::NoRoom { needs, free });
    }
    let day = (work.clock)().strftime("%Y-%m-%d").to_string();
    let stem = format!("{}-{day}", file_name(&order.account.name));
    let names = RescueNames::free_in(&to, &stem).map_err(failed("written"))?;
    let home = Opened::open(work.target, &order.account.home)?;
    let path = &order.account.home;
    let mut record = Recorded::begin(work, RULE, path, (&home.stat, 0, Removal::Pack))?;
    let rescued = write(work, order, (&to, &names), &chosen);
    let said = rescued.as_ref().map(|_| {
        let archive = as_path(&names.archive).display();
        (0, format!("rescued into {shown}/{archive}"))
    });
    record.end(work, said)?;
    let (packed, owner_missing) = rescued?;
    left.extend(owner_missing);
    let files = chosen.iter().map(|one| one.tree.files().count() as u64);
    let device = disk.stat_folder(&to).map(|stat| stat.key.device).ok();
    Ok(RescueSummary {
        archive: order.to.join(as_path(&names.archive)),
        hashes: order.to.join(as_path(&names.hashes)),
        files: files.sum(),
        bytes: needs - RESERVE,
        packed,
        left,
        is_on_same_volume: device == Some(work.target.key().device),
    })
}

fn choose(
    work: &Packing<'_>,
    order: &RescueOrder<'_>,
    left: &mut Vec<String>,
) -> Result<Vec<Chosen>, PackError> {
    let home = &order.account.home;
    let mut paths: Vec<&TargetPath> = order.paths.iter().collect();
    if paths.is_empty() {
        paths.push(home);
    }
    paths.sort();
    paths.dedup();
    // What lies in something that is chosen is in it.
    let all = paths.clone();
    paths.retain(|path| {
        !all.iter()
            .any(|other| path != other && path.below(other).is_some())
    });
    let mut chosen: Vec<Chosen> = Vec::new();
    for path in paths {
        let below = match path.below(home) {
            Some(below) => below,
            None if path == home => b"",
            None => {
                return Err(PackError::MayNot {
                    path: path.to_string(),
                    why: "it doesn't lie in that home",
                });
            }
        };
        let opened = Opened::open(work.target, path)?;
        let mut unfit = Vec::new();
        let place = opened.place(&**work.target.disk());
        let mut tree = look(place, &mut Unfit::LeftOut(&mut unfit), work.cancel)?;
        tree.leave_closed(place, &mut unfit);
        if place.disk.keeps_owners(place.folder) {
            tree.leave_links_of_others(place, order.account.user, &mut unfit);
        }
        left.extend(unfit.iter().map(|error| crate::error_chain(error)));
        let account = file_name(&order.account.name);
        let top = match below {
            b"" => account.into_bytes(),
            below => [account.as_bytes(), below].join(&b'/'),
        };
        chosen.push(Chosen { opened, top, tree });
    }
    Ok(chosen)
}

/// An account's name as that of a file on this machine: the target says what an account is called, and decides nothing about
/// where we write.
fn file_name(account: &str) -> String {
    let plain = |letter: char| match letter {
        letter if letter.is_alphanumeric() || "-_.@ ".contains(letter) => letter,
        _ => '_',
    };
    let name: String = account.chars().map(plain).take(64).collect();
    match name.trim_start_matches(['.', ' ', '-']) {
        "" => "home".to_owned(),
        name => name.to_owned(),
    }
}

/// The names of what is written, and those that it has until it is whole.
struct RescueNames {
    archive: CString,
    hashes: CString,
    archive_part: CString,
    hashes_part: CString,
}

impl RescueNames {
    /// Names that nothing has yet; what a rescue left that died is taken away.
    fn free_in(folder: &Folder, stem: &str) -> io::Result<Self> {
        let disk = RealDisk;
        for number in 1..1000 {
            let stem = match number {
                1 => stem.to_owned(),
                number => format!("{stem}-{number}"),
            };
            let name = |text: String| CString::new(text).map_err(io::Error::other);
            let names = Self {
                archive: name(format!("{stem}.tar.zst"))?,
                hashes: name(format!("{stem}.sha256"))?,
                archive_part: name(format!(".{stem}.tar.zst.part"))?,
                hashes_part: name(format!(".{stem}.sha256.part"))?,
            };
            let is_there = |name: &CStr| disk.stat(folder, name).is_ok();
            if is_there(&names.archive) || is_there(&names.hashes) {
                continue;
            }
            for part in [&names.archive_part, &names.hashes_part] {
                match disk.unlink(folder, part) {
                    Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                    _ => {}
                }
            }
            return Ok(names);
        }
        Err(io::ErrorKind::AlreadyExists.into())
    }
}

fn as_path(name: &CStr) -> &Path {
    use std::os::unix::ffi::OsStrExt as _;
    Path::new(std::ffi::OsStr::from_bytes(name.to_bytes()))
}

/// Writes, reads back and compares; how many bytes the archive takes, and what couldn't be given to its owner.
fn write(
    work: &Packing<'_>,
    order: &RescueOrder<'_>,
    (to, names): (&Folder, &RescueNames),
    chosen: &[Chosen],
) -> Result<(u64, Option<String>), PackError> {
    let disk = RealDisk;
    let shown = order.to.display().to_string();
    let failed = |verb| {
        let path = shown.clone();
        move |source| PackError::Disk { path, verb, source }
    };
    let target = &**work.target.disk();
    let take_back = || {
        for part in [&names.archive_part, &names.hashes_part] {
            drop(disk.unlink(to, part));
        }
    };
    let built = (|| {
        let archive = disk
            .make_file(to, &names.archive_part)
            .map_err(failed("written"))?;
        let trees: Vec<(TreeRoot<'_>, &[u8], &SourceTree)> = chosen
            .iter()
            .map(|one| (one.opened.place(target), &*one.top, &one.tree))
            .collect();
        write_archive(&archive, &trees, work.cancel, work.moved)?;
        let read = || {
            let file = disk.open_file(to, &names.archive_part)?;
            read_archive(&file)
        };
        let places: Vec<(TreeRoot<'_>, &[u8])> =
            trees.iter().map(|(place, top, _)| (*place, *top)).collect();
        let archive_now = read().map_err(failed("read back"))?;
        let compared = compare_all(&places, archive_now, Compared::Whole, work.cancel)?;
        for (compared, (place, _, tree)) in compared.into_iter().zip(&trees) {
            if compared.whole()?.len() != tree.things.len() {
                return Err(PackError::Changed {
                    path: place.shown(b""),
                });
            }
        }
        let hashes = disk
            .make_file(to, &names.hashes_part)
            .map_err(failed("written"))?;
        let archive_now = read().map_err(failed("read back"))?;
        write_hashes(&hashes, archive_now, work).map_err(failed("written"))?;
        let lacking = [
            (&archive, &names.archive_part),
            (&hashes, &names.hashes_part),
        ]
        .map(|(file, name)| give(order.owner?, file, &disk.stat(to, name).ok()?));
        archive
            .sync_all()
            .and_then(|()| hashes.sync_all())
            .map_err(failed("written"))?;
        for (part, name) in [
            (&names.hashes_part, &names.hashes),
            (&names.archive_part, &names.archive),
        ] {
            disk.move_name(to, part, to, name)
                .map_err(failed("named"))?;
        }
        drop(disk.sync_volume(to));
        let packed = archive.metadata().map_or(0, |data| data.len());
        Ok((packed, lacking.into_iter().flatten().next()))
    })();
    if built.is_err() {
        take_back();
    }
    built
}

/// Gives a file to whom it was meant for; what couldn't be done of that.
fn give((user, group): (u32, u32), file: &File, stat: &Stat) -> Option<String> {
    let metadata = Metadata {
        user,
        group,
        ..metadata_of(stat)
    };
    let lacking = RealDisk.apply_metadata(file.as_fd(), &metadata).pop()?;
    let what = lacking.what;
    Some(format!(
        "the archive can't be given its {what}: {}",
        lacking.error
    ))
}

/// Writes the hash of each file of an archive, as `sha256sum` does.
fn write_hashes(out: &File, archive: impl Read, work: &Packing<'_>) -> io::Result<()> {
    let mut lines = io::BufWriter::new(out);
    let read = Stoppable {
        read: archive,
        stop: work.cancel,
    };
    each_entry(read, &mut |entry, bytes| {
        let mut hasher = Sha256::new();
        let is_file = contents(&entry, bytes, work.cancel, &mut |some| hasher.update(some))?;
        if is_file {
            let (mark, name) = escaped(&entry.path);
            lines.write_all(mark.as_bytes())?;
            for byte in hasher.finalize() {
                write!(lines, "{byte:02x}")?;
            }
            lines.write_all(b"  ")?;
            lines.write_all(&name)?;
            lines.write_all(b"\n")?;
        }
        Ok(())
    })?;
    lines.flush()
}

/// A name as `sha256sum` writes it: where it holds a line break or a backslash, the line begins with one.
fn escaped(name: &[u8]) -> (&'static str, Vec<u8>) {
    let mut written = Vec::with_capacity(name.len());
    for byte in name {
        match byte {
            b'\\' => written.extend_from_slice(b"\\\\"),
            b'\n' => written.extend_from_slice(b"\\n"),
            b'\r' => written.extend_from_slice(b"\\r"),
            byte => written.push(*byte),
        }
    }
    let mark = if written.len() == name.len() {
        ""
    } else {
        "\\"
    };
    (mark, written)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_account_is_called_so_that_we_write_anywhere_else() {
        for (account, name) in [
            ("wren", "wren"),
            ("../../etc/cron.d/x", "_.._etc_cron.d_x"),
            ("/", "_"),
            ("..", "home"),
            (".hidden", "hidden"),
            ("-rf", "rf"),
            ("", "home"),
            ("Zoë @ quay", "Zoë @ quay"),
        ] {
            assert_eq!(file_name(account), name);
        }
    }
}
