//! Files that stand for a document opened lately, and whose document is gone: links of Windows' shell, and desktop entries
//! that are links (the desktop entry specification).

use jolly_disk::Kind;

use crate::computer::{FoldedNames, Presence, Target, TargetPath, presence, presence_by_drive};
use crate::format::windows::shell_link::{LeadsTo, MOST, leads_to};
use crate::source::recognise::{launcher, local_path, shown};
use crate::source::{Candidate, Finding, Reason};

/// The longest desktop entry of that kind, in bytes.
const MOST_ENTRY: u64 = 64 * 1024;

pub(crate) fn look(target: &Target, known: &FoldedNames, candidate: &Candidate<'_>) -> Finding {
    if candidate.kind != Kind::File {
        return Finding::Not;
    }
    let name = candidate.name.to_bytes().to_ascii_lowercase();
    let gone = if name.ends_with(b".lnk") {
        let bytes = launcher::read(target, candidate, MOST);
        match bytes.and_then(|bytes| leads_to(&bytes)) {
            Some(LeadsTo::OwnDisk(path)) => {
                Some((presence_by_drive(target, known, &path), path.into_bytes()))
            }
            Some(LeadsTo::Elsewhere) | None => None,
        }
    } else if name.ends_with(b".desktop") {
        let bytes = launcher::read(target, candidate, MOST_ENTRY);
        let path = bytes.and_then(|bytes| document_of(target, candidate, &bytes));
        path.map(|path| (presence(target, &TargetPath::root(), &path), path))
    } else {
        None
    };
    match gone {
        Some((Presence::Gone, document)) => Finding::Is(Reason::DocumentGone(shown(&document))),
        _ => Finding::Not,
    }
}

/// The path of the document that a desktop entry links to; nothing where it lies on a server or is none.
fn document_of(target: &Target, candidate: &Candidate<'_>, entry: &[u8]) -> Option<Vec<u8>> {
    let mut address = None;
    let mut is_link = false;
    for line in entry.split(|byte| *byte == b'\n') {
        let line = line.trim_ascii();
        if line == b"Type=Link" {
            is_link = true;
        }
        let Some(at) = line.iter().position(|byte| *byte == b'=') else {
            continue;
        };
        let (key, value) = line.split_at(at);
        // One desktop marks values in which variables stand.
        if key == b"URL" || key == b"URL[$e]" {
            address = value.get(1..).map(<[u8]>::to_vec);
        }
    }
    let address = String::from_utf8(address.filter(|_| is_link)?).ok()?;
    if let Some(below) = address.strip_prefix("file:$HOME/") {
        let account = target.accounts.get(candidate.search.account?)?;
        return Some([b"/", account.home.as_bytes(), b"/", below.as_bytes()].concat());
    }
    // One desktop writes paths without the slashes of an address. What other variables stand for isn't known here.
    let path = address
        .strip_prefix("file:")
        .filter(|path| !path.starts_with("//"));
    let address = path.map_or_else(|| address.clone(), |path| format!("file://{path}"));
    local_path(&address).filter(|path| !path.contains(&b'$'))
}
