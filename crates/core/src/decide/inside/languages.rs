//! A pile of translations, language by language.

use std::collections::BTreeMap;

use crate::computer::TargetPath;
use crate::decide::{EntryId, Inside};
use crate::pile::{Scan, Sum};
use crate::source::language_of;

/// What a pile has in one language.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LanguageShare {
    /// Its code (ISO 639).
    pub code: String,
    /// What there is.
    pub found: Sum,
    /// The folders that hold it.
    pub folders: Vec<EntryId>,
}

impl Inside {
    /// The languages of a pile of translations, the largest first: by the first folder below where its rule looks.
    pub fn languages(&self, scan: &Scan) -> Vec<LanguageShare> {
        let rule = scan.pile(self.pile).rule;
        let roots: Vec<&TargetPath> = scan
            .searches
            .iter()
            .filter(|search| search.rule == rule)
            .map(|search| &search.root)
            .collect();
        let mut shares: BTreeMap<String, LanguageShare> = BTreeMap::new();
        // Whether a folder lies in one that was counted.
        let mut counted = vec![false; self.folders.len()];
        for (at, folder) in self.folders.iter().enumerate() {
            let above = folder
                .parent
                .and_then(|parent| counted.get(parent as usize));
            let is_below = above.copied().unwrap_or(false);
            let code = folder
                .id
                .filter(|_| !is_below)
                .and_then(|id| code_below(&roots, &scan.arena.folder_path(id)));
            if let Some(is_counted) = counted.get_mut(at) {
                *is_counted = is_below || code.is_some();
            }
            let Some(code) = code else { continue };
            let share = shares.entry(code.clone()).or_insert_with(|| LanguageShare {
                code,
                found: Sum::default(),
                folders: Vec::new(),
            });
            share.found.add(folder.found);
            share.folders.push(EntryId::new(at));
        }
        let mut shares: Vec<LanguageShare> = shares.into_values().collect();
        shares.sort_by_key(|share| std::cmp::Reverse(share.found.bytes));
        shares
    }
}

fn code_below(roots: &[&TargetPath], path: &TargetPath) -> Option<String> {
    // Of folders in each other the deepest is meant.
    let root = roots.iter().filter(|root| path.below(root).is_some());
    let root = root.max_by_key(|root| root.as_bytes().len())?;
    let first = path.below(root)?.split(|byte| *byte == b'/').next()?;
    language_of(first)
}
