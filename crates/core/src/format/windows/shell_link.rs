//! Links of Windows' shell (the open specification MS-SHLLINK): what they lead to, as far as that is a path on a disk of
//! the computer itself.

/// The longest link that is read, in bytes: real ones have some hundred to a few thousand.
pub(crate) const MOST: u64 = 256 * 1024;

/// What every one begins with: the length of the header and the class.
const HEADER: usize = 0x4c;
const BEGINS: [u8; 20] = [
    0x4c, 0, 0, 0, 0x01, 0x14, 0x02, 0, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46,
];

/// Flags of the header: lists of shell items and a description of the place follow.
const HAS_ITEMS: u32 = 1;
const HAS_PLACE: u32 = 1 << 1;

/// A flag of the place: it lies on a disk of the computer.
const IS_LOCAL: u32 = 1;

/// The kind of a disk that can't be taken out.
const FIXED: u32 = 3;

/// Shorter descriptions of a place have no paths in Unicode.
const WITH_UNICODE: usize = 0x24;

/// What a link leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum LeadsTo {
    /// A path on a disk that is built into the computer.
    OwnDisk(String),
    /// A stick, a server, a part of the system, or a path in letters that nobody can tell.
    Elsewhere,
}

/// What a link leads to; nothing when it is none, or not a whole one.
pub(crate) fn leads_to(bytes: &[u8]) -> Option<LeadsTo> {
    if !bytes.starts_with(&BEGINS) {
        return None;
    }
    let flags = number(bytes, 20)?;
    let mut at = HEADER;
    if flags & HAS_ITEMS != 0 {
        let length = u16::from_le_bytes(*bytes.get(at..)?.first_chunk()?);
        at += 2 + usize::from(length);
    }
    if flags & HAS_PLACE == 0 {
        return Some(LeadsTo::Elsewhere);
    }
    let length = number(bytes, at)? as usize;
    let place = bytes.get(at..at.checked_add(length)?)?;
    let offset = |at: usize| number(place, at).map(|offset| offset as usize);
    let header = offset(4)?;
    let volume = offset(12)?;
    let is_local = number(place, 8)? & IS_LOCAL != 0;
    if !is_local || number(place, volume.checked_add(4)?)? != FIXED {
        return Some(LeadsTo::Elsewhere);
    }
    if header >= WITH_UNICODE && header <= length {
        let base = wide_text(place, offset(0x1c)?)?;
        let rest = wide_text(place, offset(0x20)?)?;
        return Some(LeadsTo::OwnDisk(base + &rest));
    }
    let (base, rest) = (text(place, offset(16)?)?, text(place, offset(24)?)?);
    // Which letters other bytes are depends on the language of that computer.
    let path = [base, rest].concat();
    let plain = String::from_utf8(path).ok().filter(|path| path.is_ascii());
    Some(plain.map_or(LeadsTo::Elsewhere, LeadsTo::OwnDisk))
}

fn number(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(*bytes.get(at..)?.first_chunk()?))
}

fn text(bytes: &[u8], at: usize) -> Option<&[u8]> {
    let rest = bytes.get(at..)?;
    rest.get(..rest.iter().position(|byte| *byte == 0)?)
}

fn wide_text(bytes: &[u8], at: usize) -> Option<String> {
    let pairs = bytes.get(at..)?.chunks_exact(2);
    let mut letters = pairs.filter_map(|pair| Some(u16::from_le_bytes(*pair.first_chunk()?)));
    let letters: Vec<u16> = letters.by_ref().take_while(|letter| *letter != 0).collect();
    String::from_utf16(&letters).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fuzz::{config, foreign};

    /// A link to a file, as the specification's example has it, with or without its path in Unicode.
    fn sample(is_wide: bool, kind: u32) -> Vec<u8> {
        let mut link = vec![0; HEADER];
        link[..20].copy_from_slice(&BEGINS);
        link[20] = 0b1000_0011;
        link.extend([4, 0, 9, 9, 9, 9]);
        let header = if is_wide { 0x24_u32 } else { 0x1c };
        let mut wide: Vec<u8> = "C:\\Ölplan\\a.ods\0"
            .encode_utf16()
            .flat_map(u16::to_le_bytes)
            .collect();
        wide.extend([0, 0]);
        let plain = b"C:\\plan\\a.ods\0\0";
        let volume = header + 0x11;
        let end = volume + u32::try_from(plain.len()).unwrap();
        let mut place = vec![
            end + u32::try_from(wide.len()).unwrap(),
            header,
            1,
            header,
            volume,
            0,
            end - 1,
        ];
        if is_wide {
            place.extend([end, end + u32::try_from(wide.len()).unwrap() - 2]);
        }
        link.extend(place.into_iter().flat_map(u32::to_le_bytes));
        link.extend(
            [0x11, kind, 0xbeef, 0x10]
                .into_iter()
                .flat_map(u32::to_le_bytes),
        );
        link.push(0);
        link.extend(plain);
        link.extend(wide);
        link
    }

    #[test]
    fn only_a_path_on_a_built_in_disk_is_told() {
        let own = |path: &str| Some(LeadsTo::OwnDisk(path.to_owned()));
        assert_eq!(leads_to(&sample(true, FIXED)), own("C:\\Ölplan\\a.ods"));
        assert_eq!(leads_to(&sample(false, FIXED)), own("C:\\plan\\a.ods"));
        // A stick, a share.
        assert_eq!(leads_to(&sample(true, 2)), Some(LeadsTo::Elsewhere));
        assert_eq!(leads_to(b"[InternetShortcut]"), None);
        let whole = sample(true, FIXED);
        assert_eq!(leads_to(&whole[..HEADER + 20]), None);
    }

    #[test]
    fn fuzz_shell_links() {
        let mut runner = proptest::test_runner::TestRunner::new(config());
        let (wide, plain) = (sample(true, FIXED), sample(false, FIXED));
        let ran = runner.run(&foreign(&[&wide, &plain]), |bytes| {
            if let Some(LeadsTo::OwnDisk(path)) = leads_to(&bytes) {
                proptest::prop_assert!(path.len() <= 2 * bytes.len());
            }
            Ok(())
        });
        ran.unwrap();
    }
}
