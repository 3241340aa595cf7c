//! Entries of lists whose document is gone.

use crate::computer::{Presence, Target, TargetPath, presence};
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

pub(crate) fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    let Some(entry) = candidate.entry else {
        return Finding::Is(Reason::EachEntry);
    };
    // What lies on a server, or is no document at all, can't be missed here.
    let Some(document) = entry.leads_to.first() else {
        return Finding::Not;
    };
    match presence(target, &TargetPath::root(), document) {
        Presence::Gone => Finding::Is(Reason::DocumentGone(shown(document))),
        Presence::There | Presence::Unknown => Finding::Not,
    }
}
