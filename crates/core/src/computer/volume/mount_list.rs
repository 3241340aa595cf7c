//! The list of what a system mounts where (fstab(5)).

use crate::computer::TargetPath;

/// The folders that it names; the root isn't among them, nor is what is mounted nowhere.
pub(crate) fn mount_folders(list: &[u8]) -> impl Iterator<Item = TargetPath> {
    let lines = list.split(|byte| *byte == b'\n');
    lines
        .filter(|line| !line.trim_ascii_start().starts_with(b"#"))
        .filter_map(|line| {
            let mut fields = line
                .split(u8::is_ascii_whitespace)
                .filter(|field| !field.is_empty());
            let folder = fields.nth(1).filter(|folder| folder.starts_with(b"/"))?;
            let path = TargetPath::from_inside(folder).ok()?;
            (!path.is_root()).then_some(path)
        })
}
