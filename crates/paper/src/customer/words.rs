//! All fixed words of the customer's page, in one place: another language is another of these tables.

use jolly_core::plan::Outcome;
use jolly_core::rule::Class;

pub(super) const CAME_BACK: &str = "came back";
pub(super) const NOTHING_CAME_BACK: &str = "No space came back";
pub(super) const NOT_MEASURED: &str = "What came back was not measured";
pub(super) const STOPPED: &str = "The sweep was stopped before its end; the rest stays as it was.";
pub(super) const BROKE_OFF: &str = "The sweep broke off; the rest stays as it was.";
pub(super) const REHEARSED: &str = "This was a rehearsal: nothing was removed.";

pub(super) const BEFORE: &str = "before";
pub(super) const AFTER: &str = "now";
pub(super) const FREE: &str = "free";
pub(super) const IN_USE: &str = "in use";

pub(super) const WENT: &str = "What went";
pub(super) const NOTICED: &str = "What you will notice";
pub(super) const STAYED: &str = "What stayed, and why";
pub(super) const TURNED_OFF: &str = "What no longer starts by itself";
pub(super) const EVERYONE: &str = "everyone";
pub(super) const MORE_TURNED_OFF: &str = "more of that kind.";
pub(super) const ADVICE: &str = "What to think of";
pub(super) const NEXT_VISIT: &str = "Next visit";

pub(super) const MORE: &str = "more kind";
pub(super) const NOTHING_WENT: &str = "Nothing went.";
pub(super) const MORE_NOTICED: &str = "smaller things as well.";
pub(super) const NOBODY_NOTICES: &str = "Nothing: nobody will miss what went.";
pub(super) const UNTOUCHED: &str =
    "Documents, pictures, mail, passwords and bookmarks were not touched.";
pub(super) const SET_ASIDE: &str = "Set aside: it can be brought back";
pub(super) const SHARED: &str = "Copies that take room only once now: each is still there";
pub(super) const UNTIL: &str = "until";
pub(super) const BLOCKED: &str = "its program was open";
pub(super) const KIND: &str = "other kind";
pub(super) const LEFT_AS_WELL: &str = "left as well";
pub(super) const TOO_YOUNG: &str = "Too new to go, in use, or asked to stay";
pub(super) const FULL_AGAIN: &str =
    "As fast as this computer has been filling, little space will be free by";

pub(super) const PAGE: &str = "page";
pub(super) const OF: &str = "of";
pub(super) const RECORD: &str = "Everything that went is on record at the shop as";

/// A class for people who don't know the word.
pub(super) fn of_class(class: Class) -> &'static str {
    match class {
        Class::Spent => "Finished with: nobody reads it again",
        Class::Regrows => "Built again by its program when needed",
        Class::Felt => "Traces of use: you will notice",
        Class::Ask => "Agreed with you beforehand",
    }
}

/// Why something stayed that was to go.
pub(super) fn stays(outcome: Outcome) -> &'static str {
    match outcome {
        Outcome::InUse => "in use by a program, so it stayed; it can go after a restart",
        Outcome::Changed => "changed while the sweep ran, so it stayed",
        Outcome::Refused => "protected, so it stayed",
        Outcome::Denied => "only the administrator may remove it",
        Outcome::Failed => "the disk failed there; have it checked",
        Outcome::Removed
        | Outcome::SetAside
        | Outcome::Shared
        | Outcome::Packed
        | Outcome::Gone => "",
    }
}

/// Why a whole kind was left.
pub(super) fn left(class: Option<Class>) -> &'static str {
    match class {
        Some(Class::Ask) => "left, it may be somebody's own",
        Some(Class::Felt) => "left, you would notice",
        Some(Class::Spent | Class::Regrows) | None => "left",
    }
}
