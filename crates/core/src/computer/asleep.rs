//! Whether a system only sleeps: it goes on from what it wrote down of its memory, and knows nothing of what was changed.

use std::ffi::CString;
use std::io::Read as _;
use std::ops::ControlFlow;

use crate::computer::{Layout, Target, fold};

/// Where a windows system writes its memory down.
const MEMORY: &[u8] = b"hiberfil.sys";

/// How that begins while the system sleeps, or wakes from it. One that was started anew has zeros there.
const MARKS: [&[u8; 4]; 4] = [b"hibr", b"HIBR", b"wake", b"WAKE"];

/// Whether the system of a target only sleeps; one whose note can't be read may.
pub(crate) fn is_asleep(target: &Target) -> bool {
    if target.layout != Layout::Windows {
        return false;
    }
    let (disk, root) = (target.disk(), target.root());
    let mut found: Option<CString> = None;
    let listed = disk.list(root, &mut |entry| {
        if fold(entry.name.to_bytes()) == MEMORY {
            found = Some(entry.name.to_owned());
            return ControlFlow::Break(());
        }
        ControlFlow::Continue(())
    });
    let Some(name) = found else {
        return listed.is_err();
    };
    let mut head = [0; 4];
    let read = disk
        .open_file(root, &name)
        .and_then(|file| file.take(4).read(&mut head));
    read.is_err() || MARKS.contains(&&head)
}
