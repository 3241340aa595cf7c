//! Whose a thing is: decided here alone, for the walk, for one path, for an example without a disk, and
//! once more before something is removed.

use crate::rule::{Detect, FileKind, Fit, Guard, ListFormat, RecordSet, Rule, RuleNumber};

/// What is found out about one thing, when it is asked for: to look costs something.
pub(crate) trait Probe {
    /// One rule that looks in one folder.
    type Search: Copy;

    /// The rule of a search.
    fn rule(&self, search: Self::Search) -> (RuleNumber, &Rule);

    /// Of a row, the set that it is of.
    fn row_set(&self) -> Option<&RecordSet> {
        None
    }

    /// Whether it is a restore point.
    fn is_point(&self) -> bool {
        false
    }

    /// What the patterns of a search say of its path.
    fn fit(&mut self, search: Self::Search) -> Fit;

    /// Why a guard stands before it.
    fn guard(&mut self, search: Self::Search) -> Option<Guard>;

    /// Its apparent length in bytes; nothing when it can't be looked at.
    fn size(&mut self) -> Option<u64>;

    /// Whether it is one of these kinds inside.
    fn looks_like(&mut self, kinds: &[FileKind]) -> bool;

    /// Whether it is what a recogniser looks for. What isn't clear is not.
    fn recognises(&mut self, search: Self::Search, detect: Detect) -> bool;
}

/// Whose a thing is, whatever its age.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Ownership<S> {
    /// This search's.
    Owned(S),
    /// It would be this search's, but for a guard.
    Guarded(S, Guard),
    /// Nobody's: this search would have to look into it, and a guard keeps it from that.
    Unseen(S, Guard),
    /// Nobody's: this search names it as spared.
    Spared(S),
    /// Nobody's.
    Nobodys,
}

/// Decides whose a thing is. `searches` are all that look above it, in the order in which rules own things.
///
/// 1. The technician's books come before the built-in one; in a book the order of the text counts. Of one
///    rule all its searches are asked.
/// 2. A restore point is a rule's that asks for those, and nothing else is. Of a database's rows, a rule that asks for rows of it has those that it asks for. What a rule's `take` doesn't fit, or its `spare` does, isn't its; what is smaller than its
///    `larger-than` isn't, either.
/// 3. A guard keeps it: of a rule that names a folder of somebody's own apart, another search may still
///    have it, and no later rule. What a recogniser or `looks-like` would have to look into is passed
///    over when it is guarded, and a later rule may have it.
/// 4. What isn't of a kind that `looks-like` names, or that its recogniser doesn't find, isn't its.
/// 5. The first that is left owns it, young or old. What nobody owns is spared when a rule says so.
pub(crate) fn decide<P: Probe>(
    searches: impl Iterator<Item = P::Search>,
    probe: &mut P,
) -> Ownership<P::Search> {
    let mut spared = None;
    let mut guarded: Option<(P::Search, RuleNumber, Guard)> = None;
    let mut unseen = None;
    for search in searches {
        let (number, rule) = probe.rule(search);
        if let Some((search, _, guard)) = guarded.filter(|(_, known, _)| *known != number) {
            return Ownership::Guarded(search, guard);
        }
        let is_other_row = rule.records.is_some()
            && (probe.row_set()).is_some_and(|set| rule.records.as_deref() != Some(set));
        let is_of_points = rule.entries == Some(ListFormat::Snapshots);
        if is_other_row || is_of_points != probe.is_point() {
            continue;
        }
        let least = rule.larger_than;
        let asks_kind = !rule.looks_like.is_empty();
        let detect = rule.detect.filter(|detect| detect.looks_inside());
        match probe.fit(search) {
            Fit::No => continue,
            Fit::Spares => {
                spared = spared.or(Some(search));
                continue;
            }
            Fit::Takes => {}
        }
        if let Some(least) = least {
            match probe.size() {
                None => return Ownership::Nobodys,
                Some(size) if size < least => continue,
                Some(_) => {}
            }
        }
        if let Some(guard) = probe.guard(search) {
            if !asks_kind && detect.is_none() {
                guarded = guarded.or(Some((search, number, guard)));
            } else {
                unseen = unseen.or(Some((search, guard)));
            }
            continue;
        }
        if asks_kind {
            let kinds = probe.rule(search).1.looks_like.clone();
            if !probe.looks_like(&kinds) {
                continue;
            }
        }
        if detect.is_none_or(|detect| probe.recognises(search, detect)) {
            return Ownership::Owned(search);
        }
    }
    match (guarded, unseen, spared) {
        (Some((search, _, guard)), ..) => Ownership::Guarded(search, guard),
        (None, Some((search, guard)), _) => Ownership::Unseen(search, guard),
        (None, None, Some(search)) => Ownership::Spared(search),
        (None, None, None) => Ownership::Nobodys,
    }
}
