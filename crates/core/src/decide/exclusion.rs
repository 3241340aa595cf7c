//! What is spared, by pattern.

use std::path::Path;

use globset::{GlobBuilder, GlobMatcher};

use crate::target::{Layout, TargetPath};

/// A pattern of paths that are spared.
///
/// A pattern with a `/` is held against the whole path below the target's root, one without
/// against every name on the way; whatever lies below a match is spared, too.
#[derive(Clone, Debug)]
pub struct Exclusion {
    matcher: GlobMatcher,
    is_whole_path: bool,
}

/// Why a text is not an exclusion.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("\"{pattern}\" is not a pattern: {reason}")]
pub struct ExclusionError {
    pattern: String,
    reason: String,
}

impl Exclusion {
    /// Reads a pattern of paths on a target of this layout; a slash at its start or end counts for
    /// nothing.
    ///
    /// # Errors
    /// When it is not a pattern, or spares nothing because it is empty.
    pub fn new(pattern: &str, layout: Layout) -> Result<Self, ExclusionError> {
        let refuse = |reason: &str| ExclusionError {
            pattern: pattern.to_owned(),
            reason: reason.to_owned(),
        };
        let trimmed = pattern.trim_matches('/');
        if trimmed.is_empty() {
            return Err(refuse("it is empty"));
        }
        let glob = GlobBuilder::new(trimmed)
            .literal_separator(true)
            .case_insensitive(layout.ignores_case())
            .build()
            .map_err(|error| refuse(&error.kind().to_string()))?;
        let is_whole_path = pattern.contains('/');
        Ok(Self {
            matcher: glob.compile_matcher(),
            is_whole_path,
        })
    }

    /// Whether it spares a path.
    pub fn spares(&self, path: &TargetPath) -> bool {
        use std::os::unix::ffi::OsStrExt as _;
        let is_match = |bytes: &[u8]| {
            self.matcher
                .is_match(Path::new(std::ffi::OsStr::from_bytes(bytes)))
        };
        if !self.is_whole_path {
            return path.parts().any(is_match);
        }
        let bytes = path.as_bytes();
        let ends = bytes
            .iter()
            .enumerate()
            .filter(|(_, byte)| **byte == b'/')
            .map(|(at, _)| at);
        ends.chain([bytes.len()])
            .any(|end| bytes.get(..end).is_some_and(is_match))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_spared_folder_spares_what_is_below_it() {
        let spares = |pattern: &str, path: &str| {
            Exclusion::new(pattern, Layout::Linux)
                .unwrap()
                .spares(&TargetPath::new(path).unwrap())
        };
        assert!(spares("home/joss/Downloads", "home/joss/Downloads/a/b.iso"));
        assert!(spares("/home/joss/Down*/", "home/joss/Downloads/a/b.iso"));
        assert!(spares("*.iso", "home/joss/Downloads/b.iso"));
        assert!(spares(
            "thumbnails",
            "home/pia/.cache/thumbnails/large/x.png"
        ));
        assert!(!spares("home/*", "var/tmp/x"));
        assert!(!spares("*.iso", "home/joss/b.img"));
        let photos = Exclusion::new("users/PIA/*.JPG", Layout::Windows).unwrap();
        assert!(photos.spares(&TargetPath::new("Users/pia/a.jpg").unwrap()));
        assert!(Exclusion::new("/", Layout::Linux).is_err());
        assert!(Exclusion::new("[a", Layout::Linux).is_err());
    }
}
