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

/// The path that a link leads to, when that is on a built-in disk; nothing else is known for sure.
///
/// # Errors
/// When it is no link, or not a whole one.
pub(crate) fn local_path(bytes: &[u8]) -> Result<Option<String>, NoLink> {
    read(bytes).ok_or(NoLink)
}

/// It is no link of Windows' shell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct NoLink;

fn read(bytes: &[u8]) -> Option<Option<String>> {
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
        return Some(None);
    }
    let length = number(bytes, at)? as usize;
    let place = bytes.get(at..at.checked_add(length)?)?;
    let offset = |at: usize| number(place, at).map(|offset| offset as usize);
    let header = offset(4)?;
    let volume = offset(12)?;
    let is_local = number(place, 8)? & IS_LOCAL != 0;
    if !is_local || number(place, volume.checked_add(4)?)? != FIXED {
        return Some(None);
    }
    if header >= WITH_UNICODE && header <= length {
        let base = wide_text(place, offset(0x1c)?)?;
        let rest = wide_text(place, offset(0x20)?)?;
        return Some(Some(base + &rest));
    }
    let (base, rest) = (text(place, offset(16)?)?, text(place, offset(24)?)?);
    // Which letters other bytes are depends on the language of that computer.
    let path = [base, rest].concat();
    let is_plain = path.is_ascii();
    Some(is_plain.then(|| String::from_utf8(path).ok()).flatten())
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
        assert_eq!(
            local_path(&sample(true, FIXED)),
            Ok(Some("C:\\Ölplan\\a.ods".to_owned()))
        );
        assert_eq!(
            local_path(&sample(false, FIXED)),
            Ok(Some("C:\\plan\\a.ods".to_owned()))
        );
        // A stick, a share.
        assert_eq!(local_path(&sample(true, 2)), Ok(None));
        assert_eq!(local_path(b"[InternetShortcut]"), Err(NoLink));
        let whole = sample(true, FIXED);
        assert_eq!(local_path(&whole[..HEADER + 20]), Err(NoLink));
    }

    #[test]
    fn fuzz_shell_links() {
        let mut runner = proptest::test_runner::TestRunner::new(config());
        let (wide, plain) = (sample(true, FIXED), sample(false, FIXED));
        let ran = runner.run(&foreign(&[&wide, &plain]), |bytes| {
            if let Ok(Some(path)) = local_path(&bytes) {
                proptest::prop_assert!(path.len() <= 2 * bytes.len());
            }
            Ok(())
        });
        ran.unwrap();
    }
}
