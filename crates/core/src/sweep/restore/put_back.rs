//! Putting one thing back where it was.

use std::collections::BTreeMap;
use std::ffi::{CStr, CString};
use std::fs::File;
use std::io::{self, Read, Seek as _, SeekFrom, Write as _};
use std::os::fd::AsFd as _;

use jolly_disk::{Disk, Folder, Kind, NotGiven, Traits};

use crate::sweep::dustpan::{Body, Entry, PanItem};
use crate::sweep::restore::Back;
use crate::target::{Target, TargetPath};

/// How much is written at once; a piece of zeros in a file with holes stays a hole.
const PIECE: usize = 64 * 1024;

/// A folder that was made on the way.
struct Made {
    /// What it had; for one that the dustpan doesn't hold, the owner of what is in it.
    traits: Traits,
    /// Its number in the dustpan, when that holds it.
    number: Option<usize>,
}

/// Puts things back on one target.
pub(super) struct PutBack<'a> {
    target: &'a Target,
    run: &'a str,
    made: BTreeMap<TargetPath, Made>,
}

/// What the kernel's refusal means for something that was to come back.
fn refused(error: &io::Error) -> Back {
    match error.kind() {
        io::ErrorKind::AlreadyExists => Back::Exists,
        io::ErrorKind::PermissionDenied => Back::Denied("the system doesn't let us".to_owned()),
        io::ErrorKind::ReadOnlyFilesystem => Back::Denied("the volume is read-only".to_owned()),
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
            Back::Failed("the volume is full".to_owned())
        }
        io::ErrorKind::NotADirectory => {
            Back::Failed("something that is no folder stands on its way".to_owned())
        }
        _ if error.raw_os_error() == Some(40) => {
            Back::Failed("a link stands on its way".to_owned())
        }
        _ => Back::Failed(error.to_string()),
    }
}

fn missing(not_given: &[NotGiven]) -> Option<String> {
    let words = not_given.iter().map(|missing| {
        format!(
            "{} could not be given back: {}",
            missing.what, missing.error
        )
    });
    let words: Vec<String> = words.collect();
    (!words.is_empty()).then(|| words.join("; "))
}

impl<'a> PutBack<'a> {
    pub(super) fn new(target: &'a Target, run: &'a str) -> Self {
        Self {
            target,
            run,
            made: BTreeMap::new(),
        }
    }

    fn disk(&self) -> &'a dyn Disk {
        &**self.target.disk()
    }

    /// Puts one thing back.
    ///
    /// # Errors
    /// When its bytes can't be read: the dustpan is damaged.
    pub(super) fn put(
        &mut self,
        entry: &Entry,
        item: &PanItem,
        number: usize,
        bytes: &mut dyn Read,
    ) -> io::Result<Back> {
        if entry.path != item.path.as_bytes() {
            return Err(io::Error::from(io::ErrorKind::InvalidData));
        }
        // A file's bytes belong to its hash, which is asked when they are written.
        if !matches!(entry.body, Body::File(_)) && !is_whole(entry, item) {
            return Ok(Back::Damaged);
        }
        if let (Body::Folder, Some(made)) = (&entry.body, self.made.get_mut(&item.path)) {
            made.traits = entry.traits.clone();
            made.number = Some(number);
            return Ok(Back::There);
        }
        let folder = match self.parent(&item.path, &entry.traits) {
            Ok(folder) => folder,
            Err(error) => return Ok(refused(&error)),
        };
        let (disk, name) = (self.disk(), item.path.as_name());
        match disk.stat(&folder, name) {
            Ok(_) => return Ok(Back::Exists),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => return Ok(refused(&error)),
        }
        match &entry.body {
            Body::Folder => {
                if let Err(error) = disk.make_folder(&folder, name) {
                    return Ok(refused(&error));
                }
                let (traits, number) = (entry.traits.clone(), Some(number));
                let made = Made { traits, number };
                self.made.insert(item.path.clone(), made);
                Ok(Back::There)
            }
            Body::Link(to) => {
                if let Err(error) = disk.make_link(&folder, name, to) {
                    return Ok(refused(&error));
                }
                let not_given = disk.give_link_traits(&folder, name, &entry.traits);
                Ok(missing(&not_given).map_or(Back::There, Back::ButFor))
            }
            Body::File(_) => self.file((&folder, name), entry, (item, number), bytes),
        }
    }

    /// Remembers how a folder was that is only on the way to something.
    pub(super) fn dress(&mut self, entry: &Entry, item: &PanItem, number: usize) {
        if let Some(made) = self.made.get_mut(&item.path)
            && is_whole(entry, item)
        {
            made.traits = entry.traits.clone();
            made.number = Some(number);
        }
    }

    /// Gives the folders that were made what they had, deepest first, since whatever comes into a
    /// folder moves its times; the numbers of those that the dustpan holds, with what is missing.
    pub(super) fn finish(self) -> Vec<(usize, Option<String>)> {
        let disk = self.disk();
        let mut finished = Vec::new();
        for (path, made) in self.made.iter().rev() {
            let opened = disk.open_folder(self.target.root(), path.as_bytes());
            let lacks = match opened {
                Ok(folder) => missing(&disk.give_traits(folder.as_fd(), &made.traits)),
                Err(error) => Some(error.to_string()),
            };
            finished.extend(made.number.map(|number| (number, lacks)));
        }
        finished
    }

    /// The open folder that holds a path; made where it is gone.
    fn parent(&mut self, path: &TargetPath, of: &Traits) -> io::Result<Folder> {
        let disk = self.disk();
        let root = self.target.root();
        let Some(folder) = path.parent() else {
            return Err(io::Error::from(io::ErrorKind::InvalidInput));
        };
        match disk.open_folder(root, folder.as_bytes()) {
            Err(error) if error.kind() == io::ErrorKind::NotFound && !folder.is_root() => {}
            opened => return opened,
        }
        let above = self.parent(&folder, of)?;
        disk.make_folder(&above, folder.as_name())?;
        // Nobody knows what it was: it becomes its contents' owner's, and nobody else's.
        let times = disk.stat_folder(&above)?;
        let traits = Traits {
            mode: 0o700,
            accessed: times.accessed,
            modified: times.modified,
            attributes: Vec::new(),
            ..of.clone()
        };
        self.made.insert(
            folder.clone(),
            Made {
                traits,
                number: None,
            },
        );
        disk.open_folder(root, folder.as_bytes())
    }

    /// Writes a file under a name of our own, and gives it its name when it is whole.
    fn file(
        &self,
        (folder, name): (&Folder, &CStr),
        entry: &Entry,
        (item, number): (&PanItem, usize),
        bytes: &mut dyn Read,
    ) -> io::Result<Back> {
        let disk = self.disk();
        let own = self.own_name(number);
        // One that a restore which died left behind.
        if disk
            .stat(folder, &own)
            .is_ok_and(|stat| stat.kind == Kind::File)
        {
            drop(disk.unlink(folder, &own));
        }
        let mut file = match disk.make_file(folder, &own) {
            Ok(file) => file,
            Err(error) => return Ok(refused(&error)),
        };
        let has_holes = item.held < item.size;
        let written = match write(&mut file, entry.hasher(), (bytes, has_holes)) {
            Ok(Ok(hash)) if hash == item.hash => {
                let not_given = disk.give_traits(file.as_fd(), &entry.traits);
                let settled = file
                    .sync_data()
                    .and_then(|()| disk.move_name(folder, &own, folder, name));
                match settled {
                    Ok(()) => missing(&not_given).map_or(Back::There, Back::ButFor),
                    Err(error) => refused(&error),
                }
            }
            Ok(Ok(_)) => Back::Damaged,
            Ok(Err(error)) => refused(&error),
            Err(damaged) => {
                drop(disk.unlink(folder, &own));
                return Err(damaged);
            }
        };
        if !written.is_back() {
            // What is not whole must not lie about under any name.
            drop(disk.unlink(folder, &own));
        }
        Ok(written)
    }

    /// A name that says nothing and is always the same for one thing of one run.
    fn own_name(&self, number: usize) -> CString {
        let hash = blake3::hash(format!("{} {number}", self.run).as_bytes()).to_hex();
        let name = format!(".jolly-broom-{}", hash.get(..16).unwrap_or_default());
        CString::new(name).unwrap_or_default()
    }
}

/// Whether an entry without bytes is as it was written.
fn is_whole(entry: &Entry, item: &PanItem) -> bool {
    entry.hasher().finalize().to_hex().as_str() == item.hash
}

/// Copies all bytes and gives the entry's hash; outside what went wrong with reading, inside with writing.
fn write(
    file: &mut File,
    mut hasher: blake3::Hasher,
    (bytes, has_holes): (&mut dyn Read, bool),
) -> io::Result<io::Result<String>> {
    let mut piece = vec![0; PIECE];
    let mut len = 0_u64;
    loop {
        let mut filled = 0;
        while let Some(rest) = piece.get_mut(filled..).filter(|rest| !rest.is_empty()) {
            match bytes.read(rest) {
                Ok(0) => break,
                Ok(read) => filled += read,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
            }
        }
        let some = piece.get(..filled).unwrap_or_default();
        if some.is_empty() {
            return Ok(file
                .set_len(len)
                .map(|()| hasher.finalize().to_hex().to_string()));
        }
        hasher.update(some);
        len += filled as u64;
        let is_hole = has_holes && some.iter().all(|byte| *byte == 0);
        let written = if is_hole {
            file.seek(SeekFrom::Start(len)).map(drop)
        } else {
            file.write_all(some)
        };
        if let Err(error) = written {
            return Ok(Err(error));
        }
    }
}
