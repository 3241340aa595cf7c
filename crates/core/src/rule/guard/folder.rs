//! What the guards say of a folder before a name in it is known, so that most names need only be
//! looked at by themselves.

use crate::computer::{Layout, TargetPath};
use crate::rule::guard::name::{guarded_folder_name, guarded_pair};
use crate::rule::guard::{NameForms, lists};
use crate::rule::{Guard, Guards, Rule, Search};

/// Whether the lists know a folder of the system below the topmost folder of a path.
fn is_near_system(layout: Layout, folder: &TargetPath) -> bool {
    let Some(topmost) = folder.parts().next() else {
        return true;
    };
    lists::system(layout).iter().any(|listed| {
        let first = listed.split('/').next().unwrap_or_default();
        first == "*" || layout.is_same_name(first.as_bytes(), topmost)
    })
}

/// The last part of a folder's path.
fn last_part(path: &[u8]) -> &[u8] {
    path.rsplit(|byte| *byte == b'/').next().unwrap_or_default()
}

/// How many parts a listed folder has.
fn parts_of(listed: &str) -> usize {
    1 + listed.bytes().filter(|byte| *byte == b'/').count()
}

/// Whether a folder of the system lies right in a folder.
fn leads_to_system(layout: Layout, folder: &TargetPath, names: &NameForms) -> bool {
    let depth = folder.parts().count();
    let mut next = lists::system(layout)
        .iter()
        .filter(|listed| parts_of(listed) == depth + 1);
    next.any(|listed| match listed.rsplit_once('/') {
        Some((above, _)) => names.below(above) == Some(0),
        None => true,
    })
}

/// What the guards say of a folder.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[expect(
    clippy::struct_excessive_bools,
    reason = "independent answers about one folder"
)]
pub(crate) struct FolderGuards {
    /// Everything in it and below it is guarded, whatever the rule.
    is_closed: bool,
    is_system: bool,
    /// Whether the lists know a folder of the system below the topmost folder that it lies in.
    is_near_system: bool,
    is_personal: bool,
    /// Whether more than its own name can guard a file in it.
    is_by_path: bool,
}

impl FolderGuards {
    /// What `guards` say of a folder. `above` is what they say of the one that holds it: what
    /// holds there holds here.
    pub(crate) fn of(guards: &Guards, above: Option<Self>, folder: &TargetPath) -> Self {
        let mut own = match above {
            Some(above) => above.enter(guards, folder),
            None => Self::at_start(guards, folder),
        };
        let is_at_or_below = |path: &TargetPath| folder.below(path).is_some();
        let is_above = |path: &TargetPath| path.below(folder).is_some();
        own.is_closed |= guards.own.iter().any(is_at_or_below);
        own.is_by_path |=
            own.is_system || guards.lead_on(folder) || guards.own.iter().any(is_above);
        own
    }

    /// Of the folder in which a walk starts: nothing is known of those above it.
    fn at_start(guards: &Guards, folder: &TargetPath) -> Self {
        let is_near_system = is_near_system(guards.layout, folder);
        let names = NameForms::of(folder, guards.layout);
        let parts: Vec<&[u8]> = folder.parts().collect();
        let is_pair =
            |pair: &[&[u8]]| matches!(*pair, [one, two] if guarded_pair(one, two).is_some());
        Self {
            is_closed: parts.iter().any(|part| guarded_folder_name(part).is_some())
                || parts.windows(2).any(is_pair),
            is_system: is_near_system && names.is_system(),
            is_near_system,
            is_personal: guards.personal.over(folder).next().is_some(),
            is_by_path: is_near_system && leads_to_system(guards.layout, folder, &names),
        }
    }

    /// Of a folder in this one.
    fn enter(self, guards: &Guards, folder: &TargetPath) -> Self {
        // What lies topmost is the same for both, but for the root.
        let is_near_system = self.is_near_system && is_near_system(guards.layout, folder);
        // Below the deepest folder of the lists only what is above decides.
        let deepest = lists::system(guards.layout).iter().map(|it| parts_of(it));
        let is_listed = is_near_system && deepest.max() >= Some(folder.parts().count());
        let names = is_listed.then(|| NameForms::of(folder, guards.layout));
        let (holder, name) = (last_part(folder.folder_bytes()), folder.name());
        Self {
            is_closed: self.is_closed
                || guarded_folder_name(name).is_some()
                || guarded_pair(holder, name).is_some(),
            is_system: names.as_ref().map_or(self.is_system, NameForms::is_system),
            is_near_system,
            is_personal: self.is_personal || guards.personal.has(folder.as_bytes()),
            is_by_path: names.is_some_and(|names| leads_to_system(guards.layout, folder, &names)),
        }
    }

    /// Whether it can be that everything in the folder is guarded.
    pub(crate) fn may_close(self) -> bool {
        self.is_closed || self.is_by_rule()
    }

    fn is_by_rule(self) -> bool {
        self.is_system || self.is_personal
    }

    /// Whether everything in the folder is guarded for the rule of a search; `folder` is the one
    /// that this was made of.
    pub(crate) fn is_closed(
        self,
        guards: &Guards,
        folder: &TargetPath,
        rule: &Rule,
        search: &Search,
    ) -> bool {
        self.is_closed || (self.is_by_rule() && guards.folder(folder, rule, &search.root).is_some())
    }

    /// The guard of a file in the folder, which isn't closed; its name is given in both spellings.
    pub(crate) fn file(
        self,
        guards: &Guards,
        folder: &TargetPath,
        rule: &Rule,
        name: crate::rule::pattern::path::Spelling<'_>,
    ) -> Option<Guard> {
        if !self.is_by_path {
            return crate::rule::guard::name::names_guard(name.small, rule);
        }
        match folder.join(name.exact) {
            Ok(path) => guards.file(&path, rule),
            // What has no path can't be taken.
            Err(_) => Some(Guard::System),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::computer::Places;
    use crate::rule::guard::name::tests::slow_name_guard;
    use crate::rule::guard::samples::{arb_case, rules};
    use crate::rule::pattern::path::Spelling;

    proptest! {
        #![proptest_config(ProptestConfig { cases: 3000, ..ProptestConfig::default() })]

        #[test]
        fn prop_on_the_way_down_the_guards_say_what_they_say_of_a_whole_path(
            (layout, parts) in arb_case(),
        ) {
            let mut places = Places::of_layout(layout);
            places.personal.add(&TargetPath::new("home/ada/Documents").unwrap());
            places.personal.close(&TargetPath::new("home/eve").unwrap());
            let own = vec![TargetPath::new("tmp/x.log").unwrap()];
            let mut guards = Guards::new(&places, own);
            guards.add_root(TargetPath::new("home/ada/cache").unwrap());
            let root = TargetPath::root();
            let search = Search { rule: crate::rule::RuleNumber(0), account: None, root: root.clone(), naming: None, twins: None, points: None };
            let mut folder = TargetPath::root();
            let mut above = None;
            for part in &parts {
                let here = FolderGuards::of(&guards, above, &folder);
                let name = part.as_bytes();
                let small = name.to_ascii_lowercase();
                let path = folder.join(name).unwrap();
                for rule in rules() {
                    let is_closed = guards.folder(&folder, rule, &root).is_some();
                    prop_assert_eq!(
                        here.is_closed(&guards, &folder, rule, &search), is_closed, "{}", &folder
                    );
                    prop_assert!(here.may_close() || !is_closed);
                    let spelling = Spelling { exact: name, small: &small };
                    prop_assert_eq!(
                        here.file(&guards, &folder, rule, spelling),
                        guards.file(&path, rule), "{}", &path
                    );
                    prop_assert_eq!(
                        super::super::names_guard(&small, rule).is_some(),
                        slow_name_guard(name, rule).is_some(), "{}", part
                    );
                }
                above = Some(here);
                folder = path;
            }
        }
    }
}
