//! What was thrown away together: a thing in a trash, and the note that says where it lay.

use crate::computer::TargetPath;

/// A path, and what lies beside it in a trash because of it: for a thing its note, for a note its thing.
///
/// In a trash by the open desktop's trash standard a thing lies in `files` and its note in `info`, by the same
/// name with `.trashinfo` behind it; in the recycle bin of Windows a note's name begins with `$I` where that of
/// its thing begins with `$R`.
pub fn together(path: &TargetPath) -> Vec<TargetPath> {
    let mut all = vec![path.clone()];
    let parts: Vec<&[u8]> = path.as_bytes().split(|byte| *byte == b'/').collect();
    for (at, part) in parts.iter().enumerate() {
        let before = parts.get(..at).unwrap_or_default();
        let is_trash = before.last().is_some_and(|folder| is_trash(folder));
        let name = parts.get(at + 1).copied();
        let other = match *part {
            b"files" if is_trash => Some((&b"info"[..], name.map(|name| [name, NOTE].concat()))),
            b"info" if is_trash => {
                let thing = name.map(|name| name.strip_suffix(NOTE).unwrap_or(name).to_vec());
                Some((&b"files"[..], thing))
            }
            _ => None,
        };
        if let Some((folder, name)) = other {
            let mut other = before.to_vec();
            other.push(folder);
            other.extend(name.as_deref());
            all.extend(TargetPath::new(other.join(&b'/')).ok());
            break;
        }
        if let Some(name) = paired(part) {
            let mut other = before.to_vec();
            other.push(&name);
            all.extend(TargetPath::new(other.join(&b'/')).ok());
            break;
        }
    }
    all
}

/// How the name of a note ends.
const NOTE: &[u8] = b".trashinfo";

/// Whether a folder is called as a trash is.
fn is_trash(name: &[u8]) -> bool {
    name == b"Trash"
        || name == b".Trash"
        || name.starts_with(b".Trash-")
        || name.iter().all(u8::is_ascii_digit)
}

/// The other name of a pair in a recycle bin.
fn paired(name: &[u8]) -> Option<Vec<u8>> {
    let [b'$', kind, rest @ ..] = name else {
        return None;
    };
    let other = match kind {
        b'R' => b'I',
        b'I' => b'R',
        b'r' => b'i',
        b'i' => b'r',
        _ => return None,
    };
    // Such as $RECYCLE.BIN, in which the pairs lie.
    let is_bin = name.eq_ignore_ascii_case(b"$recycle.bin");
    (!is_bin).then(|| [b"$", &[other][..], rest].concat())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_thing_and_its_note_come_back_together() {
        for (path, other) in [
            (
                "home/pia/.local/share/Trash/files/a.odt",
                Some("home/pia/.local/share/Trash/info/a.odt.trashinfo"),
            ),
            (
                "home/pia/.local/share/Trash/files/old/deep/b",
                Some("home/pia/.local/share/Trash/info/old.trashinfo"),
            ),
            (
                "home/pia/.local/share/Trash/info/a.odt.trashinfo",
                Some("home/pia/.local/share/Trash/files/a.odt"),
            ),
            (".Trash-1001/files", Some(".Trash-1001/info")),
            (
                "mnt/.Trash/1001/files/x",
                Some("mnt/.Trash/1001/info/x.trashinfo"),
            ),
            (
                "$Recycle.Bin/S-1-5/$RAB12.txt",
                Some("$Recycle.Bin/S-1-5/$IAB12.txt"),
            ),
            (
                "$Recycle.Bin/S-1-5/$IAB12",
                Some("$Recycle.Bin/S-1-5/$RAB12"),
            ),
            (
                "$Recycle.Bin/S-1-5/$RAB12/deep/file",
                Some("$Recycle.Bin/S-1-5/$IAB12"),
            ),
            ("$RECYCLE.BIN/S-1-5", None),
            ("home/pia/files/info/x", None),
            ("home/pia/.cache/x", None),
            ("", None),
        ] {
            let plain = |path: &str| TargetPath::new(path).unwrap();
            let expected: Vec<TargetPath> = [Some(path), other]
                .into_iter()
                .flatten()
                .map(plain)
                .collect();
            assert_eq!(together(&plain(path)), expected);
        }
    }
}
