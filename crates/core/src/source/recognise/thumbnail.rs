//! Previews whose pictures are gone, by the open thumbnail specification (freedesktop.org).

use std::io::Read as _;

use jolly_disk::Kind;

use crate::computer::{Presence, Target, TargetPath, presence};
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

/// The most that is read of one preview, in bytes; the largest that the specification has are 1,024 pixels wide.
const MOST: u64 = 8 * 1024 * 1024;

pub(crate) fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    if candidate.kind != Kind::File || !candidate.name.to_bytes().ends_with(b".png") {
        return Finding::Not;
    }
    let mut bytes = Vec::new();
    let read = target
        .disk()
        .open_file(candidate.folder, candidate.name)
        .and_then(|file| file.take(MOST).read_to_end(&mut bytes));
    if read.is_err() {
        return Finding::Unclear("a preview can't be read");
    }
    let Ok(address) = address(&bytes) else {
        return Finding::Unclear("a preview isn't a whole picture");
    };
    let Some(picture) = address.as_deref().and_then(local_path) else {
        return Finding::Not;
    };
    match presence(target, &TargetPath::root(), &picture) {
        Presence::Gone => Finding::Is(Reason::PictureGone(shown(&picture))),
        Presence::There | Presence::Unknown => Finding::Not,
    }
}

/// The `Thumb::URI` of a PNG; nothing when it names none.
fn address(bytes: &[u8]) -> Result<Option<String>, png::DecodingError> {
    let limits = png::Limits {
        bytes: usize::try_from(MOST).unwrap_or(usize::MAX),
    };
    let decoder = png::Decoder::new_with_limits(std::io::Cursor::new(bytes), limits);
    let mut reader = decoder.read_info()?;
    if let Some(found) = text_of(reader.info()) {
        return Ok(Some(found));
    }
    // Texts may stand behind the picture, too; of one that is cut off there, none do.
    drop(reader.finish());
    Ok(text_of(reader.info()))
}

fn text_of(info: &png::Info<'_>) -> Option<String> {
    let plain = info
        .uncompressed_latin1_text
        .iter()
        .find(|text| text.keyword == "Thumb::URI")
        .map(|text| text.text.clone());
    let packed = || {
        let text = info
            .compressed_latin1_text
            .iter()
            .find(|text| text.keyword == "Thumb::URI")?;
        text.get_text().ok()
    };
    plain.or_else(packed)
}

/// The path in a `file:` address without a host (RFC 8089), its percent signs resolved.
pub(crate) fn local_path(address: &str) -> Option<Vec<u8>> {
    let path = address.strip_prefix("file://")?;
    let path = path.strip_prefix("localhost").unwrap_or(path);
    if !path.starts_with('/') {
        return None;
    }
    let mut bytes = Vec::with_capacity(path.len());
    let mut rest = path.bytes();
    while let Some(byte) = rest.next() {
        if byte != b'%' {
            bytes.push(byte);
            continue;
        }
        let digits = [rest.next()?, rest.next()?];
        let digits = std::str::from_utf8(&digits).ok()?;
        bytes.push(u8::from_str_radix(digits, 16).ok()?);
    }
    (!bytes.contains(&0)).then_some(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn only_addresses_of_this_computer_are_paths() {
        let path = |address| local_path(address).map(|path| String::from_utf8(path).unwrap());
        assert_eq!(
            path("file:///home/pia/a%20b.jpg").as_deref(),
            Some("/home/pia/a b.jpg")
        );
        for other in [
            "smb://server/a.jpg",
            "file://server/a.jpg",
            "file:///a%2",
            "file:///a%zz",
            "file:///a%00",
            "/home/pia",
            "",
        ] {
            assert_eq!(path(other), None, "{other}");
        }
    }

    proptest! {
        #[test]
        fn prop_arbitrary_bytes_name_no_picture(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
            prop_assert!(address(&bytes).is_err());
            let mut whole = b"\x89PNG\r\n\x1a\n\0\0\0\x0dIHDR".to_vec();
            whole.extend(&bytes);
            prop_assert!(!matches!(address(&whole), Ok(Some(_))));
        }
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_previews(bytes in crate::fuzz::foreign(&[
            b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\0\x01\0\0\0\x01\x08\0\0\0\0\x3a\x7e\x9b\x55\0\0\0\x14tEXtThumb::URI\0file:///x\0\0\0\0",
            b"file:///home/ada/a%20b",
        ])) {
            drop(address(&bytes));
            let text = String::from_utf8_lossy(&bytes);
            let path = local_path(&text);
            proptest::prop_assert!(path.is_none_or(|path| path.len() <= text.len() && !path.contains(&0)));
        }
    }
}
