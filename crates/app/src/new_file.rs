//! Files that somebody names to be written: whole or not at all, and over another one only when that was said.

use std::fs::{File, Permissions};
use std::io::{self, BufWriter, Write};
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;

/// What becomes of a file that has the name already.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Existing {
    /// It stays, and nothing is written.
    Stays,
    /// It is replaced.
    IsReplaced,
}

/// Who may read what is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Readers {
    /// Only who wrote it.
    Owner,
    /// Whoever the person's own settings let.
    Others,
}

/// Writes a file. It gets its name when it is whole: no link is followed, and a disk that is full or pulled out leaves
/// what was there before.
pub(crate) fn write_file(
    path: &Path,
    (existing, readers): (Existing, Readers),
    write: &mut dyn FnMut(&mut dyn Write) -> io::Result<()>,
) -> io::Result<()> {
    let there = std::fs::symlink_metadata(path);
    match (&there, existing) {
        (Ok(_), Existing::Stays) => return Err(io::ErrorKind::AlreadyExists.into()),
        (Ok(there), Existing::IsReplaced) if !there.is_file() => {
            return Err(io::Error::other("something that is no file has that name"));
        }
        _ => {}
    }
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    let mode = match readers {
        Readers::Owner => 0o600,
        Readers::Others => 0o644,
    };
    let made = tempfile::Builder::new()
        .permissions(Permissions::from_mode(mode))
        .tempfile_in(folder)?;
    let mut out = BufWriter::new(made);
    write(&mut out)?;
    let made = out.into_inner().map_err(io::IntoInnerError::into_error)?;
    made.as_file().sync_all()?;
    if existing == Existing::IsReplaced {
        made.persist(path).map_err(|error| error.error)?;
        return Ok(());
    }
    match made.persist_noclobber(path) {
        Ok(_) => Ok(()),
        Err(error) if error.error.kind() == io::ErrorKind::AlreadyExists => Err(error.error),
        Err(error) => {
            // Some file systems of sticks can neither link nor rename without replacing: what is replaced there is
            // ours, made a moment ago.
            drop(File::create_new(path)?);
            error.file.persist(path).map_err(|error| error.error)?;
            Ok(())
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_whole_or_what_was_there_before() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("page.pdf");
        let mut good = |out: &mut dyn Write| out.write_all(b"page");
        let mut full = |out: &mut dyn Write| {
            out.write_all(b"half")?;
            Err(io::ErrorKind::StorageFull.into())
        };
        let names = || std::fs::read_dir(dir.path()).unwrap().count();
        let new = (Existing::Stays, Readers::Others);
        let over = (Existing::IsReplaced, Readers::Others);
        assert!(write_file(&path, new, &mut full).is_err());
        assert_eq!(names(), 0);
        write_file(&path, new, &mut good).unwrap();
        let again = write_file(&path, new, &mut full).unwrap_err();
        assert_eq!(again.kind(), io::ErrorKind::AlreadyExists);
        assert!(write_file(&path, over, &mut full).is_err());
        assert_eq!(
            (std::fs::read(&path).unwrap(), names()),
            (b"page".to_vec(), 1)
        );
        // A link is neither followed nor replaced.
        let link = dir.path().join("link.pdf");
        std::os::unix::fs::symlink("elsewhere", &link).unwrap();
        assert!(write_file(&link, new, &mut good).is_err());
        assert!(write_file(&link, over, &mut good).is_err());
        assert!(link.is_symlink() && !dir.path().join("elsewhere").exists());
    }
}
