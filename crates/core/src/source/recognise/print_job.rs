//! Documents whose printing has ended, by the control files of the printer service (IPP, RFC 8011).

use std::ffi::CString;
use std::io::Read as _;

use crate::computer::Target;
use crate::source::{Candidate, Finding, Reason};

/// The most that is read of a control file, in bytes.
const MOST: u64 = 256 * 1024;

/// The attribute of a job that says how far it is: an enumeration, its name, and that four bytes follow.
const STATE: &[u8] = b"\x23\x00\x09job-state\x00\x04";

/// The least state of a job that has ended: canceled, aborted, completed (RFC 8011, section 5.3.7).
const ENDED: u32 = 7;

pub(crate) fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    let name = candidate.name.to_bytes();
    // A document `d00041-001` is of the job `c00041`.
    let digits: Vec<u8> = name
        .iter()
        .skip(1)
        .copied()
        .take_while(u8::is_ascii_digit)
        .collect();
    let control = [b"c", &digits[..]].concat();
    let Some(control) = CString::new(control).ok().filter(|_| !digits.is_empty()) else {
        return Finding::Not;
    };
    let mut bytes = Vec::new();
    let read = target
        .disk()
        .open_file(candidate.folder, &control)
        .and_then(|file| file.take(MOST).read_to_end(&mut bytes));
    match read {
        // A document without a job belongs to none that waits.
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Finding::Is(Reason::Printed),
        Err(_) => Finding::Unclear("a print job can't be read"),
        Ok(_) => match state(&bytes) {
            Some(state) if state >= ENDED => Finding::Is(Reason::Printed),
            Some(_) => Finding::Not,
            None => Finding::Unclear("a print job doesn't say how far it is"),
        },
    }
}

/// How far a job is, by its control file.
fn state(control: &[u8]) -> Option<u32> {
    let at = control
        .windows(STATE.len())
        .rposition(|part| part == STATE)?;
    let value = control.get(at + STATE.len()..at + STATE.len() + 4)?;
    Some(u32::from_be_bytes(value.try_into().ok()?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_job_says_how_far_it_is() {
        let job = |state: u8| [b"\x02\x00", STATE, &[0, 0, 0, state], b"\x03"].concat();
        assert_eq!(state(&job(9)), Some(9));
        assert_eq!(state(&job(3)), Some(3));
        assert_eq!(state(b"\x02\x00job-state"), None);
        assert_eq!(state(&job(9)[..STATE.len() + 3]), None);
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_print_jobs(bytes in crate::fuzz::foreign(&[
            b"\x02\x00\x23\x00\x09job-state\x00\x04\x00\x00\x00\x09\x03",
        ])) {
            proptest::prop_assert!(state(&bytes).is_none() || bytes.len() >= STATE.len() + 4);
        }
    }
}
