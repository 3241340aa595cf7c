//! Where a walk finds the restore points that may go: each by its name, in the folder that holds it.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::computer::{RestorePoint, TargetPath};
use crate::rule::{Fit, RuleSet, Search};

/// Restore points of a folder by name.
pub(crate) type Points = BTreeMap<Box<[u8]>, RestorePoint>;

/// The searches that name the restore points which may go, by the rules that ask for them: each is of the first that
/// takes it, and of those with one source the newest stay.
pub(super) fn searches(points: &[RestorePoint], rules: &RuleSet, asking: &[Search]) -> Vec<Search> {
    let takes = |search: &&Search, path: &TargetPath| {
        let rule = rules.rule(search.rule);
        let below = path.below(&search.root).filter(|below| !below.is_empty());
        below.is_some_and(|below| rule.fit(below) == Fit::Takes)
    };
    let mut by_folder: BTreeMap<(usize, TargetPath), Points> = BTreeMap::new();
    for point in points {
        let owner = asking.iter().position(|search| takes(&search, &point.path));
        let keep = owner.and_then(|owner| asking.get(owner)).map(|search| {
            let keep = rules.rule(search.rule).rule.keep_newest;
            keep.is_some_and(|keep| point.is_among_newest(points, keep.count))
        });
        if let (Some(owner), Some(false), Some(folder)) = (owner, keep, point.path.parent()) {
            let named = by_folder.entry((owner, folder)).or_default();
            named.insert(point.path.name().into(), point.clone());
        }
    }
    let of_folder = |((owner, root), points): ((usize, TargetPath), Points)| {
        let search = asking.get(owner)?;
        let names = || points.keys().map(|name| &**name);
        Some(Search {
            root,
            naming: Some(rules.rule(search.rule).naming_files(names)),
            points: Some(Arc::new(points)),
            ..search.clone()
        })
    };
    by_folder.into_iter().filter_map(of_folder).collect()
}
