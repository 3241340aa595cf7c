//! Paths below a target's root, as bytes.

use std::ffi::CStr;
use std::fmt;

use serde::{Deserialize, Serialize};

use crate::format::Printable;

/// A path below a target's root.
///
/// # Invariants
/// Relative; its parts are never empty, `.` or `..`, and hold no NUL. The empty path is the root.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct TargetPath {
    /// The path with a NUL behind it, so that its last part can be handed to the kernel as it stands;
    /// nothing at all for the root.
    ended: Box<[u8]>,
    /// Where the last part begins: a sweep asks that many times of each of millions.
    name_at: usize,
}

/// Why some bytes are not a path below a target.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "\"{shown}\" is not a path below the target: it must be relative, without `.`, `..` or empty parts"
)]
pub struct PathError {
    shown: String,
}

/// Whether some parts lead nowhere but downwards; none do.
fn are_plain(bytes: &[u8]) -> bool {
    let is_plain =
        |part: &[u8]| !part.is_empty() && part != b"." && part != b".." && !part.contains(&0);
    bytes.is_empty() || bytes.split(|byte| *byte == b'/').all(is_plain)
}

impl TargetPath {
    /// The root itself.
    pub fn root() -> Self {
        Self::default()
    }

    /// A path of bytes that are known to be plain.
    fn of_plain(mut bytes: Vec<u8>) -> Self {
        if bytes.is_empty() {
            return Self::default();
        }
        let slash = bytes.iter().rposition(|byte| *byte == b'/');
        bytes.push(0);
        Self {
            ended: bytes.into_boxed_slice(),
            name_at: slash.map_or(0, |slash| slash + 1),
        }
    }

    /// Takes bytes that already are relative and plain.
    ///
    /// # Errors
    /// When they could lead anywhere but downwards.
    pub fn new(bytes: impl Into<Vec<u8>>) -> Result<Self, PathError> {
        let bytes = bytes.into();
        if are_plain(&bytes) {
            Ok(Self::of_plain(bytes))
        } else {
            Err(PathError {
                shown: Printable(&bytes).to_string(),
            })
        }
    }

    /// Takes an absolute path as it is meant on the target itself (`/home/pia`), or a relative one.
    ///
    /// # Errors
    /// When it could lead anywhere but downwards.
    pub fn from_inside(bytes: &[u8]) -> Result<Self, PathError> {
        let from = bytes
            .iter()
            .position(|byte| *byte != b'/')
            .unwrap_or(bytes.len());
        let to = bytes
            .iter()
            .rposition(|byte| *byte != b'/')
            .map_or(from, |last| last + 1);
        Self::new(bytes.get(from..to).unwrap_or_default())
    }

    /// The bytes, without a slash at either end.
    pub fn as_bytes(&self) -> &[u8] {
        self.ended.split_last().map_or(&[], |(_, bytes)| bytes)
    }

    /// Whether this is the root.
    pub fn is_root(&self) -> bool {
        self.ended.is_empty()
    }

    /// The parts from the root down.
    pub fn parts(&self) -> impl DoubleEndedIterator<Item = &[u8]> {
        self.as_bytes()
            .split(|byte| *byte == b'/')
            .filter(|part| !part.is_empty())
    }

    /// This path with one name below it.
    ///
    /// # Errors
    /// When the name is not a plain one.
    pub fn join(&self, below: &[u8]) -> Result<Self, PathError> {
        if !are_plain(below) {
            let shown = [self.as_bytes(), b"/", below].concat();
            return Err(PathError {
                shown: Printable(&shown).to_string(),
            });
        }
        Ok(self.with_plain(below))
    }

    /// The same with what is known to be plain: it was part of a path before.
    pub(crate) fn with_plain(&self, below: &[u8]) -> Self {
        let own = self.as_bytes();
        // With room for all that it will hold, so that nothing is copied once more.
        let slash = usize::from(!own.is_empty() && !below.is_empty());
        let mut bytes = Vec::with_capacity(own.len() + slash + below.len() + 1);
        bytes.extend_from_slice(own);
        if slash > 0 {
            bytes.push(b'/');
        }
        bytes.extend_from_slice(below);
        Self::of_plain(bytes)
    }

    /// The folder that holds it; the root has none.
    pub fn parent(&self) -> Option<Self> {
        if self.is_root() {
            return None;
        }
        Some(Self::of_plain(self.folder_bytes().to_vec()))
    }

    /// The bytes of the folder that holds it; empty for the root and for what lies right in it.
    pub fn folder_bytes(&self) -> &[u8] {
        let cut = self.name_at.saturating_sub(1);
        self.ended.get(..cut).unwrap_or_default()
    }

    /// The last part; empty for the root.
    pub fn name(&self) -> &[u8] {
        self.as_bytes().get(self.name_at..).unwrap_or_default()
    }

    /// The last part as the kernel takes it.
    pub fn as_name(&self) -> &CStr {
        let ended = self.ended.get(self.name_at..).unwrap_or_default();
        CStr::from_bytes_with_nul(ended).unwrap_or_default()
    }

    /// What of this path lies below `ancestor`: empty when they are the same.
    pub fn below<'a>(&'a self, ancestor: &Self) -> Option<&'a [u8]> {
        if ancestor.is_root() {
            return Some(self.as_bytes());
        }
        let rest = self.as_bytes().strip_prefix(ancestor.as_bytes())?;
        match rest.split_first() {
            None => Some(rest),
            Some((b'/', rest)) => Some(rest),
            Some(_) => None,
        }
    }
}

impl fmt::Display for TargetPath {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.is_root() {
            out.write_str("/")
        } else {
            Printable(self.as_bytes()).fmt(out)
        }
    }
}

/// A path in a JSON object: as text, and in base64 (RFC 4648) too when the text can't hold it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct WrittenPath {
    /// The path; bytes that aren't UTF-8 stand as U+FFFD here.
    pub path: String,
    /// The exact bytes, only where `path` isn't exact.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub path_base64: Option<String>,
}

impl From<&TargetPath> for WrittenPath {
    fn from(path: &TargetPath) -> Self {
        Self::from(path.as_bytes())
    }
}

impl From<&[u8]> for WrittenPath {
    fn from(bytes: &[u8]) -> Self {
        use base64::Engine as _;
        match std::str::from_utf8(bytes) {
            Ok(text) => Self {
                path: text.to_owned(),
                path_base64: None,
            },
            Err(_) => Self {
                path: String::from_utf8_lossy(bytes).into_owned(),
                path_base64: Some(base64::engine::general_purpose::STANDARD.encode(bytes)),
            },
        }
    }
}

impl TryFrom<&WrittenPath> for TargetPath {
    type Error = PathError;

    fn try_from(written: &WrittenPath) -> Result<Self, PathError> {
        use base64::Engine as _;
        match &written.path_base64 {
            None => Self::new(written.path.as_bytes()),
            Some(text) => base64::engine::general_purpose::STANDARD
                .decode(text)
                .ok()
                .ok_or_else(|| PathError {
                    shown: Printable(text.as_bytes()).to_string(),
                })
                .and_then(Self::new),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_a_written_path_reads_back_exactly(bytes in proptest::collection::vec(any::<u8>(), 0..40)) {
            if let Ok(path) = TargetPath::new(bytes) {
                let text = serde_json::to_string(&WrittenPath::from(&path)).unwrap();
                prop_assert!(!text.contains('\n'));
                let written: WrittenPath = serde_json::from_str(&text).unwrap();
                prop_assert_eq!(TargetPath::try_from(&written).unwrap(), path.clone());
                let whole = path.parent().unwrap_or_default().join(path.as_name().to_bytes());
                prop_assert_eq!(whole.unwrap(), path);
            }
        }
    }

    #[test]
    fn no_path_leads_up_or_out() {
        for bad in ["..", "a/..", "../a", "/etc", "a//b", "a/", "./a", "a\0b"] {
            assert!(TargetPath::new(bad).is_err(), "{bad}");
        }
        assert!(TargetPath::from_inside(b"/home/../etc").is_err());
        assert_eq!(
            TargetPath::from_inside(b"//home/pia/").unwrap().to_string(),
            "home/pia"
        );
    }
}
