//! Why an item stays, and what that says of the run.

use std::fmt;
use std::io;

use crate::host::RunningProgram;
use crate::plan::Outcome;

/// When something else took an item's place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Moment {
    /// Before the last look.
    Before,
    /// While its bytes were stored in the dustpan.
    WhileStored,
    /// While its bytes were written over.
    WhileWrittenOver,
    /// Between the last look and the removal.
    AtTheEnd,
}

/// Why an item stays.
#[derive(Clone, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "the words below say it")]
pub enum StayReason {
    OpenIn(RunningProgram),
    WaitsFor(RunningProgram),
    HeldBySystem,
    NotWhatWasShown,
    Replaced(Moment),
    LinkOnItsWay,
    ChangedWhileStored,
    /// The list that it is an entry of is no longer what was shown.
    ListChanged,
    /// The list can't be read, or not be made anew.
    ListStays(String),
    ShrankWhileStored,
    NoLongerFile,
    NotWhatItsRuleLooksFor,
    RuleTurnedOff,
    Excluded(String),
    Younger,
    UnitGrew,
    WentByItself,
    Guarded(&'static str),
    RuleLooksElsewhere,
    RuleNotInForce,
    OtherRulesOwn,
    WayNotAllowed,
    DescribesWhatIsThere,
    /// Of a copy: no other file that stays has its contents now.
    NoOtherCopy,
    /// Of a version: the other one that stays is no longer what it was when they were read.
    NoOtherVersion,
    /// Of a copy that was to be one more name of another file: that one is of another account.
    OfAnotherAccount,
    /// The same, where more than the contents would change.
    NotAlike,
    /// Files of this volume can't share bytes in this way.
    CannotShare,
    UnitListedInPart,
    PartOfAnotherUnit,
    /// It is one of the newest of its kind by now, which stay.
    AmongNewest,
    NotEmpty,
    NotAllowed {
        verb: &'static str,
    },
    ReadOnly,
    NeverStored,
    /// What is copied before rows of its profile go could not be.
    NotCopied(String),
    TooLongToCopy,
    DustpanShut,
    DustpanFailed(String),
    WayOutTakenAway,
    Disk {
        verb: &'static str,
        error: String,
    },
    /// A part of what goes whole or stays can't go, for this reason.
    PartStays(Box<StayReason>),
    /// It could not go back under its name, and lies there.
    LiesElsewhere {
        because: Box<StayReason>,
        place: String,
    },
}

impl StayReason {
    /// What the kernel's refusal means for an item.
    pub(crate) fn of_error(error: &io::Error, verb: &'static str) -> Self {
        match error.kind() {
            io::ErrorKind::NotFound => Self::WentByItself,
            io::ErrorKind::PermissionDenied => Self::NotAllowed { verb },
            io::ErrorKind::ReadOnlyFilesystem => Self::ReadOnly,
            io::ErrorKind::ResourceBusy | io::ErrorKind::ExecutableFileBusy => Self::HeldBySystem,
            io::ErrorKind::DirectoryNotEmpty => Self::NotEmpty,
            io::ErrorKind::NotADirectory
            | io::ErrorKind::IsADirectory
            | io::ErrorKind::CrossesDevices => Self::Replaced(Moment::Before),
            _ if error.raw_os_error() == Some(TOO_MANY_LINKS) => Self::LinkOnItsWay,
            _ => Self::Disk {
                verb,
                error: error.to_string(),
            },
        }
    }

    /// What became of an item that stays for this.
    pub fn outcome(&self) -> Outcome {
        match self {
            Self::OpenIn(_) | Self::WaitsFor(_) | Self::HeldBySystem => Outcome::InUse,
            Self::NotWhatWasShown
            | Self::Replaced(_)
            | Self::LinkOnItsWay
            | Self::ChangedWhileStored
            | Self::ListChanged
            | Self::ShrankWhileStored
            | Self::NoLongerFile
            | Self::NotWhatItsRuleLooksFor
            | Self::RuleTurnedOff
            | Self::Excluded(_)
            | Self::Younger
            | Self::UnitGrew => Outcome::Changed,
            Self::WentByItself => Outcome::Gone,
            Self::Guarded(_)
            | Self::RuleLooksElsewhere
            | Self::RuleNotInForce
            | Self::OtherRulesOwn
            | Self::WayNotAllowed
            | Self::DescribesWhatIsThere
            | Self::NoOtherCopy
            | Self::NoOtherVersion
            | Self::OfAnotherAccount
            | Self::NotAlike
            | Self::CannotShare
            | Self::UnitListedInPart
            | Self::PartOfAnotherUnit
            | Self::AmongNewest
            | Self::NotEmpty => Outcome::Refused,
            Self::NotAllowed { .. } | Self::ReadOnly => Outcome::Denied,
            Self::NeverStored
            | Self::NotCopied(_)
            | Self::TooLongToCopy
            | Self::DustpanShut
            | Self::DustpanFailed(_)
            | Self::ListStays(_)
            | Self::WayOutTakenAway
            | Self::Disk { .. } => Outcome::Failed,
            Self::PartStays(why) | Self::LiesElsewhere { because: why, .. } => why.outcome(),
        }
    }
}

/// `ELOOP` of errno(3): a link where none is followed.
const TOO_MANY_LINKS: i32 = 40;

impl fmt::Display for StayReason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let words = match self {
            Self::OpenIn(program) => return write!(f, "open in {program}"),
            Self::WaitsFor(program) => return write!(f, "it waits for {program}"),
            Self::Excluded(why) => return write!(f, "it was excluded since: {why}"),
            Self::NotAllowed { verb } => return write!(f, "the system doesn't let us {verb} it"),
            Self::Disk { verb, error } => return write!(f, "cannot {verb} it: {error}"),
            Self::ListStays(why) => return write!(f, "its list or database stays: {why}"),
            Self::NotCopied(why) => {
                return write!(
                    f,
                    "its profile's bookmarks and logins can't be copied first: {why}"
                );
            }
            Self::DustpanFailed(why) => return f.write_str(why),
            Self::PartStays(why) => {
                return write!(f, "it goes whole or stays, and of a part of it: {why}");
            }
            Self::LiesElsewhere { because, place } => {
                return write!(f, "{because}; what was there lies {place}");
            }
            Self::Guarded(why) => why,
            Self::Replaced(moment) => match moment {
                Moment::Before => "something else took its place",
                Moment::WhileStored => "something else took its place while it was stored",
                Moment::WhileWrittenOver => {
                    "something else took its place while it was written over"
                }
                Moment::AtTheEnd => "something else took its place at the last moment",
            },
            Self::HeldBySystem => "the system holds it",
            Self::NotWhatWasShown => "it is no longer what was shown",
            Self::LinkOnItsWay => "a link took the place of a folder on its way",
            Self::ChangedWhileStored => "it changed while it was stored",
            Self::ListChanged => "its list or database changed since",
            Self::ShrankWhileStored => "it shrank meanwhile",
            Self::NoLongerFile => "it is no longer a file",
            Self::NotWhatItsRuleLooksFor => "it is no longer what its rule looks for",
            Self::RuleTurnedOff => "its rule was turned off since",
            Self::Younger => "it is younger than it was",
            Self::UnitGrew => "something came into it since",
            Self::WentByItself => "it went by itself",
            Self::RuleLooksElsewhere => "its rule doesn't look there",
            Self::RuleNotInForce => "its rule is not in force",
            Self::OtherRulesOwn => "another rule has it",
            Self::WayNotAllowed => "its rule doesn't let it leave in that way",
            Self::DescribesWhatIsThere => "what it describes is still there",
            Self::NoOtherCopy => "no other file that stays has its contents now",
            Self::NoOtherVersion => "the version that stays is no longer what it was",
            Self::OfAnotherAccount => "the one that stays is not of the same account",
            Self::NotAlike => "the one that stays has another owner, mode or attributes",
            Self::CannotShare => "files of this volume can't share bytes in this way",
            Self::UnitListedInPart => "it goes whole or stays, and the list has only a part of it",
            Self::PartOfAnotherUnit => "the list names it as a part of something else",
            Self::AmongNewest => "it is one of the newest by now, and those stay",
            Self::NotEmpty => "something that stays is in it",
            Self::ReadOnly => "the volume is read-only",
            Self::NeverStored => "it never reached the dustpan",
            Self::TooLongToCopy => "it is longer than any such file",
            Self::DustpanShut => "the dustpan can't be written",
            Self::WayOutTakenAway => "the folder that it was to leave through was taken away",
        };
        f.write_str(words)
    }
}
