//! Alias records, by which macOS notes where a file lies: version 2 (Inside Macintosh: Files, "Alias Manager") and its
//! successor 3, with their tagged fields.

/// The tags of two fields: the path from the root of its volume on, and where that volume is mounted.
const PATH: u16 = 18;
const MOUNT: u16 = 19;

/// The tag that ends them.
const END: u16 = 0xffff;

/// Where the tagged fields begin in each version.
const FIELDS: [(u16, usize); 2] = [(2, 150), (3, 58)];

/// The path that an alias record names, if it is on the volume that the system starts from.
pub(crate) fn path_of(record: &[u8]) -> Option<String> {
    let version = number_at(record, 6)?;
    let (_, mut at) = FIELDS.into_iter().find(|(known, _)| *known == version)?;
    let (mut path, mut is_of_system) = (None, false);
    while let (Some(tag), Some(length)) = (number_at(record, at), number_at(record, at + 2)) {
        let data = record.get(at + 4..)?.get(..usize::from(length))?;
        match tag {
            PATH => path = std::str::from_utf8(data).ok(),
            MOUNT => is_of_system = data == b"/",
            END => break,
            _ => {}
        }
        at += 4 + usize::from(length).next_multiple_of(2);
    }
    let path = path.filter(|path| is_of_system && !path.contains('\0'))?;
    Some(format!("/{}", path.trim_start_matches('/')))
}

fn number_at(record: &[u8], at: usize) -> Option<u16> {
    let bytes = record.get(at..)?.first_chunk()?;
    Some(u16::from_be_bytes(*bytes))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(version: u16, head: usize, path: &[u8], mount: &[u8]) -> Vec<u8> {
        let mut record = vec![0; head];
        record[6..8].copy_from_slice(&version.to_be_bytes());
        for (tag, data) in [(14, &b"\0\x01\0x"[..]), (PATH, path), (MOUNT, mount)] {
            record.extend(tag.to_be_bytes());
            record.extend(u16::try_from(data.len()).unwrap().to_be_bytes());
            record.extend(data);
            record.resize(record.len().next_multiple_of(2), 0);
        }
        record.extend([0xff, 0xff, 0, 0]);
        record
    }

    #[test]
    fn a_path_is_told_of_the_system_s_own_volume_alone() {
        for (version, head) in FIELDS {
            let own = record(version, head, b"Applications/Gull.app", b"/");
            assert_eq!(path_of(&own).as_deref(), Some("/Applications/Gull.app"));
            assert_eq!(
                path_of(&record(version, head, b"Gull.app", b"/Volumes/Stick")),
                None
            );
            for cut in 0..own.len() - 5 {
                let said = path_of(&own[..cut]);
                assert_eq!(said, None, "cut at {cut}");
            }
        }
        assert_eq!(path_of(&record(4, 58, b"Gull.app", b"/")), None);
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_alias_records(bytes in crate::fuzz::foreign(&[
            &record(2, 150, b"Applications/Gull.app", b"/"),
            &record(3, 58, b"Applications/Gull.app", b"/"),
        ])) {
            let said = path_of(&bytes);
            proptest::prop_assert!(said.is_none_or(|path| path.starts_with('/') && path.len() <= bytes.len()));
        }
    }
}
