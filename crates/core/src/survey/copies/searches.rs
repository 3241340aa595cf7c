//! What a walk is told to look for of copies: those that were chosen, by their names in the folder that holds them.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::computer::{Target, TargetPath};
use crate::rule::{RuleSet, Search, Survey, Twin, Twins};
use crate::survey::copies::ChosenCopy;

/// Where a walk finds the copies and versions that were chosen, in the order of rules, accounts and folders.
pub fn searches_of_copies(chosen: &[ChosenCopy], target: &Target, rules: &RuleSet) -> Vec<Search> {
    let of = |survey: Survey| {
        let own = chosen
            .iter()
            .filter(move |copy| copy.as_read.is_some() == (survey == Survey::Versions));
        searches_of(survey, own, target, rules)
    };
    let mut searches = of(Survey::Copies);
    searches.extend(of(Survey::Versions));
    searches
}

fn searches_of<'a>(
    survey: Survey,
    chosen: impl Iterator<Item = &'a ChosenCopy>,
    target: &Target,
    rules: &RuleSet,
) -> Vec<Search> {
    let Some((number, rule)) = rules.of_survey(survey) else {
        return Vec::new();
    };
    let mut by_folder: BTreeMap<TargetPath, Twins> = BTreeMap::new();
    for copy in chosen {
        if let Some(folder) = copy.goes.parent() {
            let twin = Twin {
                stays: copy.stays.clone(),
                as_read: copy.as_read,
            };
            let twins = by_folder.entry(folder).or_default();
            twins.insert(copy.goes.name().into(), twin);
        }
    }
    let account_of = |folder: &TargetPath| {
        let mut accounts = target.accounts.iter();
        accounts.position(|one| folder == &one.home || folder.below(&one.home).is_some())
    };
    let searches = by_folder.into_iter().map(|(root, twins)| Search {
        rule: number,
        account: account_of(&root),
        naming: Some(rule.naming_files(|| twins.keys().map(|name| &**name))),
        twins: Some(Arc::new(twins)),
        points: None,
        root,
    });
    let mut searches: Vec<Search> = searches.collect();
    searches.sort_by(|one, other| (one.account, &one.root).cmp(&(other.account, &other.root)));
    searches
}
