//! The store as a file: where it may lie, and the copy that is kept of it.

use std::fs;
use std::io;
use std::path::Path;

use crate::state::SheetError;

/// Copies the store beside itself before it is changed to a newer version; nobody else may have it open then.
pub(super) fn keep_copy(path: &Path, version: i64) -> Result<(), SheetError> {
    let copy = path.with_extension(format!("version-{version}"));
    let failed = |source| SheetError::Backup {
        path: copy.clone(),
        source,
    };
    let bytes = fs::read(path).map_err(failed)?;
    let folder = path.parent().unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
    io::Write::write_all(&mut file, &bytes).map_err(failed)?;
    file.as_file().sync_all().map_err(failed)?;
    file.persist(&copy).map_err(|error| failed(error.error))?;
    Ok(())
}

/// Whether a folder lies on a file server: locks of two machines need not see each other there (`statfs(2)`).
pub(super) fn is_on_file_server(folder: &Path) -> bool {
    const SERVERS: [i64; 7] = [
        0x6969,      // NFS
        0x517b,      // SMB
        0xff53_4d42, // CIFS
        0xfe53_4d42, // SMB2
        0x5346_414f, // AFS
        0x7375_7245, // Coda
        0x0102_1997, // 9P
    ];
    let kind = rustix::fs::statfs(folder).map(|it| it.f_type);
    kind.is_ok_and(|kind| SERVERS.contains(&kind))
}
