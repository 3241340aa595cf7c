//! The index files of a Windows recycle folder: `$I…` says of `$R…` where it was and since when
//! it is here.

/// The most that is read of one; the longest path takes 64 KiB.
pub(crate) const MOST: u64 = 68 * 1024;

/// Hundred-nanosecond steps from 1601-01-01 to 1970-01-01, the epoch of FILETIME.
const TO_1970: u64 = 116_444_736_000_000_000;

/// What one index file says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Recycled {
    /// When it was thrown away, seconds since 1970.
    pub time: i64,
    /// Where it lay, with its drive's letter; what isn't UTF-16 stands as U+FFFD.
    pub original: String,
}

impl Recycled {
    /// Reads an index file: version (1, or 2 since Windows 10), size, FILETIME, and the path, in
    /// version 1 in a field of 260 UTF-16 units, in version 2 after its length in units. Nothing
    /// when it isn't one, is cut short, or holds a time before 1970 or after 2200.
    pub(crate) fn read(bytes: &[u8]) -> Option<Self> {
        let number = |at: usize| -> Option<u64> {
            Some(u64::from_le_bytes(bytes.get(at..at + 8)?.try_into().ok()?))
        };
        let version = number(0)?;
        let time = number(16)?;
        let path = match version {
            1 => bytes.get(24..24 + 520)?,
            2 => {
                let units = u32::from_le_bytes(bytes.get(24..28)?.try_into().ok()?);
                let length = usize::try_from(units).ok()?.checked_mul(2)?;
                bytes.get(28..28_usize.checked_add(length)?)?
            }
            _ => return None,
        };
        let units: Vec<u16> = path
            .chunks_exact(2)
            .map(|pair| u16::from_le_bytes([pair[0], pair[1]]))
            .take_while(|unit| *unit != 0)
            .collect();
        let original = String::from_utf16_lossy(&units);
        // A path that names no drive or share was not written by a recycle folder.
        let is_path = original.get(1..3) == Some(":\\") || original.starts_with("\\\\");
        let seconds = i64::try_from(time.checked_sub(TO_1970)? / 10_000_000).ok()?;
        let is_plausible = seconds < 7_258_118_400;
        (is_path && is_plausible).then_some(Self {
            time: seconds,
            original,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn index(version: u64, time: u64, original: &str) -> Vec<u8> {
        let mut bytes = Vec::new();
        for number in [version, 4096, time] {
            bytes.extend(number.to_le_bytes());
        }
        let mut path: Vec<u8> = original
            .encode_utf16()
            .chain([0])
            .flat_map(u16::to_le_bytes)
            .collect();
        if version == 1 {
            path.resize(520, 0);
        } else {
            bytes.extend(u32::try_from(path.len() / 2).unwrap().to_le_bytes());
        }
        bytes.extend(path);
        bytes
    }

    #[test]
    fn both_versions_are_read_whole_or_not_at_all() {
        let then = TO_1970 + 1_790_000_000 * 10_000_000;
        for version in [1, 2] {
            let bytes = index(version, then, "C:\\Users\\pia\\Desktop\\leaflet.odg");
            let read = Recycled::read(&bytes).unwrap();
            assert_eq!(read.time, 1_790_000_000);
            assert_eq!(read.original, "C:\\Users\\pia\\Desktop\\leaflet.odg");
            for cut in 0..bytes.len() {
                assert_eq!(Recycled::read(&bytes[..cut]), None, "cut at {cut}");
            }
        }
        assert_eq!(Recycled::read(&index(3, then, "C:\\x")), None);
        assert_eq!(Recycled::read(&index(2, 5, "C:\\x")), None);
        assert_eq!(Recycled::read(&index(2, u64::MAX, "C:\\x")), None);
        assert_eq!(Recycled::read(&index(2, then, "x")), None);
    }

    proptest! {
        #[test]
        fn prop_arbitrary_bytes_never_panic(mut bytes in proptest::collection::vec(any::<u8>(), 0..700), version in 0_u8..4) {
            if let Some(first) = bytes.first_mut() {
                *first = version;
            }
            if let Some(read) = Recycled::read(&bytes) {
                prop_assert!((0..7_258_118_400).contains(&read.time));
            }
        }
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_recycled(bytes in crate::fuzz::foreign(&[
            b"\x02\0\0\0\0\0\0\0\0\x10\0\0\0\0\0\0\0\x80\x3e\xd5\xde\xb1\x9d\x01\x06\0\0\0C\0:\0\\\0a\0b\0\0\0",
        ])) {
            if let Some(read) = Recycled::read(&bytes) {
                proptest::prop_assert!((0..7_258_118_400).contains(&read.time));
            }
        }
    }
}
