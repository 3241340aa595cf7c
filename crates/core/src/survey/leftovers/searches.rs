//! What a walk is told to look for of leftovers: each thing by its name, in the folder that holds it.

use crate::rule::{RuleSet, Search, Survey};
use crate::survey::Leftover;

/// Of more nobody could look at each; the rest is only shown.
const MOST: usize = 2_000;

/// Where a walk finds what programs that are gone left behind, in the order of accounts and folders.
pub fn searches_of_leftovers(leftovers: &[Leftover], rules: &RuleSet) -> Vec<Search> {
    let Some((number, rule)) = rules.of_survey(Survey::LeftBehind) else {
        return Vec::new();
    };
    let folders = leftovers.iter().flat_map(|left| &left.folders).take(MOST);
    let searches = folders.filter_map(|folder| {
        Some(Search {
            rule: number,
            account: folder.account,
            root: folder.path.parent()?,
            naming: Some(rule.naming(&folder.path)),
            twins: None,
            points: None,
        })
    });
    let mut searches: Vec<Search> = searches.collect();
    searches.sort_by(|one, other| (one.account, &one.root).cmp(&(other.account, &other.root)));
    searches
}
