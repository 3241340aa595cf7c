//! What is written: bytes that nobody can tell beforehand and this program can tell again, or zeros.

use std::fs::File;
use std::io::{self, Read as _};

/// With what something is written over.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Fill {
    /// Random bytes.
    #[default]
    Random,
    /// Zeros: a disk image packs well afterwards.
    Zeros,
}

impl Fill {
    /// In a word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Random => "random",
            Self::Zeros => "zeros",
        }
    }

    /// The fill of a name.
    pub(super) fn of(name: &str) -> Self {
        match name {
            "zeros" => Self::Zeros,
            _ => Self::Random,
        }
    }
}

/// The bytes of one pass: for every offset the same ones again, so that they can be compared without being stored. They are
/// the extended output of BLAKE3 under a key that the kernel drew at random.
pub(super) struct Pattern(Option<blake3::OutputReader>);

impl Pattern {
    /// The bytes of a new pass.
    ///
    /// # Errors
    /// When the kernel draws none.
    pub(super) fn new(fill: Fill) -> io::Result<Self> {
        if fill == Fill::Zeros {
            return Ok(Self(None));
        }
        let mut key = [0; blake3::KEY_LEN];
        File::open("/dev/urandom")?.read_exact(&mut key)?;
        Ok(Self(Some(blake3::Hasher::new_keyed(&key).finalize_xof())))
    }

    /// The bytes from an offset on.
    pub(super) fn fill(&mut self, at: u64, bytes: &mut [u8]) {
        match &mut self.0 {
            None => bytes.fill(0),
            Some(stream) => {
                stream.set_position(at);
                stream.fill(bytes);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pass_gives_the_same_bytes_again_and_another_pass_others() {
        let (mut one, mut other) = (
            Pattern::new(Fill::Random).unwrap(),
            Pattern::new(Fill::Random).unwrap(),
        );
        let mut whole = vec![0; 5000];
        one.fill(0, &mut whole);
        let mut part = vec![0; 77];
        one.fill(1234, &mut part);
        assert_eq!(part, whole[1234..1311]);
        other.fill(1234, &mut part);
        assert_ne!(part, whole[1234..1311]);
        // As many ones as zeros, as near as chance has it.
        let ones: u32 = whole.iter().map(|byte| byte.count_ones()).sum();
        assert!((19_000..21_000).contains(&ones), "{ones}");
    }
}
