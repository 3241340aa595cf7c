//! What becomes of an item that stays, and why.

use std::borrow::Cow;
use std::io;

use crate::plan::Outcome;

/// Why an item stays, or what became of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct ItemOutcome {
    pub outcome: Outcome,
    pub bytes: u64,
    pub reason: Cow<'static, str>,
    /// Whether the bytes are known to be those that the list says; a log needn't say them again then.
    pub is_as_listed: bool,
}

impl ItemOutcome {
    pub(crate) fn stays(outcome: Outcome, reason: impl Into<Cow<'static, str>>) -> Self {
        Self {
            outcome,
            bytes: 0,
            reason: reason.into(),
            is_as_listed: false,
        }
    }

    /// What the kernel's refusal means for an item.
    pub(crate) fn of_error(error: &io::Error, verb: &str) -> Self {
        let (outcome, reason) = match error.kind() {
            io::ErrorKind::NotFound => (Outcome::Gone, Cow::Borrowed("it went by itself")),
            io::ErrorKind::PermissionDenied => (
                Outcome::Denied,
                format!("the system doesn't let us {verb} it").into(),
            ),
            io::ErrorKind::ReadOnlyFilesystem => {
                (Outcome::Denied, "the volume is read-only".into())
            }
            io::ErrorKind::ResourceBusy | io::ErrorKind::ExecutableFileBusy => {
                (Outcome::InUse, "the system holds it".into())
            }
            io::ErrorKind::DirectoryNotEmpty => (Outcome::Refused, NOT_EMPTY.into()),
            io::ErrorKind::NotADirectory
            | io::ErrorKind::IsADirectory
            | io::ErrorKind::CrossesDevices => {
                (Outcome::Changed, "something else took its place".into())
            }
            _ if error.raw_os_error() == Some(40) => (
                Outcome::Changed,
                "a link took the place of a folder on its way".into(),
            ),
            _ => (Outcome::Failed, format!("cannot {verb} it: {error}").into()),
        };
        Self::stays(outcome, reason)
    }
}

/// Why a folder stays that holds something.
pub(crate) const NOT_EMPTY: &str = "something that stays is in it";
