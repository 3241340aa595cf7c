//! The order in which things go: folder by folder, each emptied folder right after everything below it, so
//! that a sweep that is stopped leaves at most one behind.

use std::collections::HashMap;

use crate::computer::TargetPath;

/// When the things of one folder go, counted in turns.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Turn {
    /// What lies right in it; what lies deeper comes later.
    pub contents: u32,
    /// The folder itself; everything below it comes before.
    pub itself: u32,
}

/// The turns of folders, in whatever order they are told.
pub(crate) fn turns(folders: Vec<TargetPath>) -> HashMap<TargetPath, Turn> {
    let mut folders = folders;
    // Part by part, so that what lies below a folder comes right after it: a slash ends a part, so it
    // stands before every letter.
    folders.sort_by(|one, other| parts_first(one).cmp(parts_first(other)));
    folders.dedup();
    let mut turns = HashMap::with_capacity(folders.len());
    let mut open: Vec<(TargetPath, u32)> = Vec::new();
    let mut next = 0_u32;
    let mut count = || {
        next = next.saturating_add(1);
        next
    };
    for folder in folders {
        while let Some((holds, contents)) = open.pop_if(|it| folder.below(&it.0).is_none()) {
            let itself = count();
            turns.insert(holds, Turn { contents, itself });
        }
        let contents = count();
        open.push((folder, contents));
    }
    while let Some((holds, contents)) = open.pop() {
        let itself = count();
        turns.insert(holds, Turn { contents, itself });
    }
    turns
}

fn parts_first(path: &TargetPath) -> impl Iterator<Item = u8> {
    let slash_first = |byte: &u8| if *byte == b'/' { 0 } else { *byte };
    path.as_bytes().iter().map(slash_first)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_whatever_lies_below_a_folder_goes_after_its_own_contents_and_before_itself(
            names in proptest::collection::vec("[ab!./-]{0,7}", 0..30)
        ) {
            let paths = names.iter().filter_map(|name| TargetPath::new(name.as_bytes()).ok());
            let paths: Vec<TargetPath> = paths.collect();
            let turns = turns(paths.clone());
            let mut seen = std::collections::BTreeSet::new();
            for (one, turn) in &turns {
                prop_assert!(turn.contents < turn.itself);
                prop_assert!(seen.insert(turn.contents) && seen.insert(turn.itself));
                for (other, its) in &turns {
                    if one != other && other.below(one).is_some() {
                        prop_assert!(turn.contents < its.contents && its.itself < turn.itself);
                    } else if one != other && one.below(other).is_none() {
                        // What has nothing to do with each other doesn't mix.
                        prop_assert!(turn.itself < its.contents || its.itself < turn.contents);
                    }
                }
            }
            prop_assert_eq!(seen.len(), 2 * turns.len());
            prop_assert!(paths.iter().all(|path| turns.contains_key(path)));
        }
    }
}
