//! Links that lead nowhere.

use jolly_disk::Kind;

use crate::computer::{Presence, Target, TargetPath, mount_folders, presence, read_small};
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

/// Where stores keep what their links lead to, which may be on another computer for now: a large-file store of
/// a repository, layers of containers.
const STORES: [&[u8]; 4] = [
    b"/annex/objects/",
    b"/lfs/objects/",
    b"/overlay/",
    b"/overlay2/",
];

/// The folders on which a target mounts volumes of its own, by its list of them (fstab(5)).
pub(crate) struct Mounts(Vec<TargetPath>);

impl Mounts {
    pub(crate) fn of(target: &Target) -> Self {
        let list = read_small(&**target.disk(), target.root(), b"etc", c"fstab");
        let list = list.unwrap_or_default();
        Self(mount_folders(&list).collect())
    }

    /// Whether a path leads onto such a volume: what lies there may be away with it.
    fn hold(&self, folder: &TargetPath, to: &[u8]) -> bool {
        let whole = if to.starts_with(b"/") {
            to.to_vec()
        } else {
            [b"/", folder.as_bytes(), b"/", to].concat()
        };
        let mut parts: Vec<&[u8]> = Vec::new();
        for part in whole.split(|byte| *byte == b'/') {
            match part {
                b"" | b"." => {}
                b".." => drop(parts.pop()),
                part => parts.push(part),
            }
        }
        let path = TargetPath::new(parts.join(&b'/'));
        path.is_ok_and(|path| {
            let is_away =
                |mount: &&TargetPath| path.below(mount).is_some() && folder.below(mount).is_none();
            self.0.iter().any(|mount| is_away(&mount))
        })
    }
}

pub(crate) fn look(target: &Target, mounts: &Mounts, candidate: &Candidate<'_>) -> Finding {
    if candidate.kind != Kind::Link {
        return Finding::Not;
    }
    let Ok(to) = target.disk().read_link(candidate.folder, candidate.name) else {
        return Finding::Unclear("a link can't be read");
    };
    let folder = candidate.path.parent().unwrap_or_default();
    // A lock that is written as a link (`host-1234`) leads nowhere on purpose.
    let is_path = to.contains(&b'/') || to.starts_with(b".");
    let slashed = [b"/", &to[..]].concat();
    let is_stores = STORES
        .iter()
        .any(|store| slashed.windows(store.len()).any(|part| part == *store));
    let is_lost = is_path && !is_stores && !mounts.hold(&folder, &to);
    if is_lost && presence(target, &folder, &to) == Presence::Gone {
        Finding::Is(Reason::LeadsNowhere(shown(&to)))
    } else {
        Finding::Not
    }
}
