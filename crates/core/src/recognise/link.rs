//! Links that lead nowhere.

use jolly_disk::Kind;

use crate::recognise::{Candidate, Finding, Reason, shown};
use crate::target::{Presence, Target, presence};

pub(super) fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    if candidate.kind != Kind::Link {
        return Finding::Not;
    }
    let Ok(to) = target.disk().read_link(candidate.folder, candidate.name) else {
        return Finding::Unclear("a link can't be read");
    };
    let folder = candidate.path.parent().unwrap_or_default();
    // A lock that is written as a link (`host-1234`) leads nowhere on purpose.
    let is_path = to.contains(&b'/') || to.starts_with(b".");
    if is_path && presence(target, &folder, &to) == Presence::Gone {
        Finding::Is(Reason::LeadsNowhere(shown(&to)))
    } else {
        Finding::Not
    }
}
