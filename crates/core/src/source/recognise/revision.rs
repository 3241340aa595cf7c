//! Revisions of packages that newer ones have replaced: images of whole packages, kept side by side.

use std::collections::HashSet;

use serde_json::Value;

use crate::computer::{Target, TargetPath};
use crate::source::{Candidate, Finding, Reason};

/// The most that is read of the package manager's own record, in bytes.
const MOST: u64 = 16 * 1024 * 1024;

/// What the package manager of a target says of the revisions that it knows.
pub(crate) struct Revisions {
    /// Package and revision; nothing where the record can't be read.
    registered: Option<HashSet<(String, String)>>,
}

impl Revisions {
    pub(crate) fn of(target: &Target) -> Self {
        let read = bounded(target, b"var/lib/snapd", c"state.json");
        Self {
            registered: match read {
                Ok(text) => registered(&text),
                Err(error) if error.kind() == std::io::ErrorKind::NotFound => Some(HashSet::new()),
                Err(_) => None,
            },
        }
    }

    /// Whether an image is of a revision that is neither registered nor current. The newest ones are kept by
    /// the rule itself.
    pub(crate) fn look(&self, target: &Target, candidate: &Candidate<'_>) -> Finding {
        let name = candidate.name.to_bytes();
        let name = name.strip_suffix(b".snap").unwrap_or(name);
        let parts = std::str::from_utf8(name).ok();
        let Some((package, revision)) = parts.and_then(|name| name.rsplit_once('_')) else {
            return Finding::Not;
        };
        let Some(registered) = &self.registered else {
            return Finding::Unclear("the package manager's own record can't be read");
        };
        let key = (package.to_owned(), revision.to_owned());
        if registered.contains(&key) || is_current(target, package, revision) {
            return Finding::Not;
        }
        Finding::Is(Reason::Replaced)
    }
}

/// Every revision that the record names, used or put by to go back to.
fn registered(text: &[u8]) -> Option<HashSet<(String, String)>> {
    let state: Value = serde_json::from_slice(text).ok()?;
    let mut all = HashSet::new();
    let empty = serde_json::Map::new();
    let packages = match state.get("data").and_then(|data| data.get("snaps")) {
        Some(packages) => packages.as_object()?,
        None => &empty,
    };
    for (package, said) in packages {
        let sequence = said.get("sequence").and_then(Value::as_array);
        let revisions = sequence
            .into_iter()
            .flatten()
            .map(|one| one.get("revision"))
            .chain([said.get("current")]);
        for revision in revisions.flatten().filter_map(Value::as_str) {
            all.insert((package.clone(), revision.to_owned()));
        }
    }
    Some(all)
}

/// Whether the link that names a package's current revision names this one; a link that can't be read does.
fn is_current(target: &Target, package: &str, revision: &str) -> bool {
    ["snap", "var/lib/snapd/snap"].iter().any(|mounted| {
        let Ok(folder) = TargetPath::new(format!("{mounted}/{package}")) else {
            return true;
        };
        let disk = target.disk();
        let Ok(opened) = disk.open_folder(target.root(), folder.as_bytes()) else {
            return false;
        };
        match disk.read_link(&opened, c"current") {
            // It may be written with the folders above it.
            Ok(to) => to.rsplit(|byte| *byte == b'/').next() == Some(revision.as_bytes()),
            Err(error) => error.kind() != std::io::ErrorKind::NotFound,
        }
    })
}

fn bounded(target: &Target, folder: &[u8], name: &std::ffi::CStr) -> std::io::Result<Vec<u8>> {
    use std::io::Read as _;
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), folder)?;
    let mut text = Vec::new();
    let file = disk.open_file(&folder, name)?;
    file.take(MOST + 1).read_to_end(&mut text)?;
    if text.len() as u64 > MOST {
        return Err(std::io::ErrorKind::FileTooLarge.into());
    }
    Ok(text)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_record_names_is_registered_used_or_not() {
        let text =
            br#"{"data":{"snaps":{"tidewatch":{"sequence":[{"revision":"9"},{"revision":"11"}],
            "current":"12"}}}}"#;
        let known = registered(text).unwrap();
        let all = ["9", "11", "12"].map(|revision| ("tidewatch".to_owned(), revision.to_owned()));
        assert_eq!(known, HashSet::from(all));
        assert_eq!(registered(b"{}"), Some(HashSet::new()));
        for broken in [&b"{"[..], b"{\"data\":{\"snaps\":[]}}", b"\xff"] {
            assert_eq!(registered(broken), None);
        }
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_package_records(bytes in crate::fuzz::foreign(&[
            br#"{"data":{"snaps":{"tidewatch":{"sequence":[{"revision":"9"}],"current":"12"}}}}"#,
        ])) {
            drop(registered(&bytes));
        }
    }
}
