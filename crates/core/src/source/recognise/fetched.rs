//! Packages in the local repository of a build tool that came from a server: what was put there by hand or built
//! here, no server has.

use std::collections::HashMap;
use std::io::Read as _;
use std::sync::{Mutex, PoisonError};

use crate::computer::{Target, TargetPath};
use crate::source::{Candidate, Finding, Reason};

/// The most that is read of a package's marks, in bytes.
const MOST: u64 = 64 * 1024;

/// The file in which a repository notes from where each file of a version came: `name>server=`, and `name>=` for
/// what was built here.
const MARKS: &std::ffi::CStr = c"_remote.repositories";

/// What the marks of each package said when they were first asked. A package goes whole, its marks with it, and what
/// they said then counts for the rest of it.
#[derive(Default)]
pub(crate) struct Fetched(Mutex<HashMap<TargetPath, Finding>>);

impl Fetched {
    pub(crate) fn look(&self, target: &Target, candidate: &Candidate<'_>) -> Finding {
        let folder = candidate.path.parent().unwrap_or_default();
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let look = || look(target, candidate);
        known.entry(folder).or_insert_with(look).clone()
    }
}

fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    let mut text = Vec::new();
    let read = target
        .disk()
        .open_file(candidate.folder, MARKS)
        .and_then(|file| file.take(MOST + 1).read_to_end(&mut text));
    match read {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Finding::Not,
        Err(_) => Finding::Unclear("the marks of a package can't be read"),
        Ok(_) if text.len() as u64 > MOST => {
            Finding::Unclear("the marks of a package are too long")
        }
        Ok(_) if is_from_server(&text) => Finding::Is(Reason::Fetched),
        Ok(_) => Finding::Not,
    }
}

/// Whether every file that is marked came from a server.
fn is_from_server(marks: &[u8]) -> bool {
    let mut marked = marks
        .split(|byte| *byte == b'\n')
        .map(<[u8]>::trim_ascii)
        .filter(|line| !line.is_empty() && !line.starts_with(b"#"))
        .peekable();
    marked.peek().is_some()
        && marked.all(|line| {
            let server = line.rsplit(|byte| *byte == b'>').next();
            line.contains(&b'>')
                && server.is_some_and(|server| server.len() > 1 && server.ends_with(b"="))
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_is_marked_with_a_server_came_from_one() {
        assert!(is_from_server(
            b"#NOTE\n#Mon\na-1.jar>central=\na-1.pom>central=\n"
        ));
        for built in [
            &b"a-1.jar>=\na-1.pom>=\n"[..],
            b"a-1.jar>central=\nown.jar>=\n",
            b"#only notes\n",
            b"",
            b"central=\n",
        ] {
            assert!(!is_from_server(built));
        }
    }
}
