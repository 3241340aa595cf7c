//! Which rule has a path of a target, and why.

use std::ops::ControlFlow;

use jiff::Timestamp;
use jolly_disk::{Folder, Kind, Stat};

use crate::recognise::{Candidate, Finding, Recogniser};
use crate::rulebook::{CompiledRule, Fit, Guards, RuleNumber, RuleSet, Search, Verdict};
use crate::scan::{keep, pile};
use crate::target::{Target, TargetPath};

/// What the rules say of one path on a target.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Explanation {
    /// The verdict.
    pub verdict: Verdict,
    /// The rule that decided.
    pub rule: Option<RuleNumber>,
    /// Where the rule found it.
    pub search: Option<Search>,
    /// Why, in words.
    pub reason: String,
    /// Whether it is there at all.
    pub exists: bool,
}

/// What was looked up about the path itself.
struct Thing {
    folder: Folder,
    stat: Stat,
}

/// Says which rule owns `path` and what becomes of it.
pub fn explain(
    target: &Target,
    rules: &RuleSet,
    searches: &[Search],
    guards: &Guards,
    path: &TargetPath,
    now: Timestamp,
) -> Explanation {
    let thing = thing_at(target, path);
    let mut recogniser = Recogniser::new(target, now);
    let mut spared = None;
    // A rule may name a guarded folder apart, below another of its own roots.
    let mut guarded: Option<(RuleNumber, Explanation)> = None;
    for search in searches {
        if let Some((_, found)) = guarded.take_if(|(rule, _)| *rule != search.rule) {
            return found;
        }
        let Some(below) = path.below(&search.root).filter(|below| !below.is_empty()) else {
            continue;
        };
        let rule = rules.rule(search.rule);
        let found = |verdict, reason: String| Explanation {
            verdict,
            rule: Some(search.rule),
            search: Some(search.clone()),
            reason,
            exists: thing.is_some(),
        };
        match rule.fit(below) {
            Fit::No => continue,
            Fit::Spares => {
                let reason = "the rule names it in `spare`".to_owned();
                spared = spared.or_else(|| Some(found(Verdict::Spared, reason)));
                continue;
            }
            Fit::Takes => {}
        }
        if is_too_small(rule, thing.as_ref()) {
            continue;
        }
        let Some(because) = because(&mut recogniser, rule, search, path, thing.as_ref()) else {
            continue;
        };
        if let Some(guard) = guards.path(path, &rule.rule, &search.root) {
            let reason = format!("guarded: {}", guard.words());
            guarded = guarded.or_else(|| Some((search.rule, found(Verdict::Guarded, reason))));
            continue;
        }
        if let Some(reason) = kept(target, &mut recogniser, rule, search, path, thing.as_ref()) {
            return found(Verdict::Spared, reason);
        }
        let time = thing
            .as_ref()
            .and_then(|thing| recogniser.time(&rule.rule, search, path, &thing.stat));
        let (verdict, reason) = by_age(rule, time.map(|time| pile::age(time, now)));
        return found(verdict, format!("{because}{reason}"));
    }
    guarded
        .map(|(_, found)| found)
        .or(spared)
        .unwrap_or_else(|| Explanation {
            verdict: Verdict::NotMine,
            rule: None,
            search: None,
            reason: "no rule looks for it".to_owned(),
            exists: thing.is_some(),
        })
}

fn thing_at(target: &Target, path: &TargetPath) -> Option<Thing> {
    let disk = target.disk();
    let parent = path.parent().unwrap_or_default();
    let folder = disk.open_folder(target.root(), parent.as_bytes()).ok()?;
    let stat = disk.stat(&folder, path.as_name()).ok()?;
    Some(Thing { folder, stat })
}

/// Why the rule's recogniser finds it, to begin a reason with; nothing when it doesn't.
fn because(
    recogniser: &mut Recogniser<'_>,
    rule: &CompiledRule,
    search: &Search,
    path: &TargetPath,
    thing: Option<&Thing>,
) -> Option<String> {
    let Some(detect) = rule.rule.detect else {
        return Some(String::new());
    };
    let Some(thing) = thing else {
        // What isn't there can't be looked at: only names decide.
        return (!detect.looks_inside()).then(String::new);
    };
    let candidate = Candidate {
        search,
        path,
        folder: &thing.folder,
        name: path.as_name(),
        kind: thing.stat.kind,
    };
    match recogniser.look(&rule.rule, detect, &candidate) {
        Finding::Is(reason) => Some(format!("{reason}; ")),
        Finding::Not | Finding::Unclear(_) => None,
    }
}

fn is_too_small(rule: &CompiledRule, thing: Option<&Thing>) -> bool {
    rule.rule
        .larger_than
        .is_some_and(|least| thing.is_some_and(|thing| thing.stat.size < least))
}

fn by_age(rule: &CompiledRule, age: Option<u64>) -> (Verdict, String) {
    match (rule.rule.age.limit, age) {
        (Some(limit), Some(age)) if age < limit.as_seconds() => {
            (Verdict::Young, format!("younger than {limit}"))
        }
        (Some(limit), None) => (
            Verdict::Young,
            format!("its age isn't known, and the limit is {limit}"),
        ),
        (Some(limit), Some(_)) => (Verdict::Taken, format!("at least {limit} old")),
        (None, _) => (Verdict::Taken, "taken at any age".to_owned()),
    }
}

/// Why it stays as one of the newest of its family, if it does.
fn kept(
    target: &Target,
    recogniser: &mut Recogniser<'_>,
    rule: &CompiledRule,
    search: &Search,
    path: &TargetPath,
    thing: Option<&Thing>,
) -> Option<String> {
    let keep = rule.rule.keep_newest?;
    let thing = thing?;
    let parent = path.parent()?;
    let disk = target.disk();
    let mut family: Vec<(i64, Vec<u8>)> = Vec::new();
    let listed = disk.list(&thing.folder, &mut |entry| {
        let name = entry.name.to_bytes();
        if keep.per.key(name) == keep.per.key(path.name())
            && let Ok(sibling) = parent.join(name)
            && let Some(below) = sibling.below(&search.root)
            && rule.fit(below) == Fit::Takes
            && let Ok(stat) = disk.stat(&thing.folder, entry.name)
            && matches!(stat.kind, Kind::File | Kind::Link)
            && let Some(time) = recogniser.time(&rule.rule, search, &sibling, &stat)
        {
            family.push((time, name.to_vec()));
        }
        ControlFlow::Continue(())
    });
    let is_whole = listed.is_ok();
    keep::newest_first(&mut family, Clone::clone);
    let place = family.iter().position(|(_, name)| name == path.name())?;
    let stays = !is_whole || place < keep.count as usize;
    stays.then(|| {
        format!(
            "one of the newest {} of its {}",
            keep.count,
            keep.per.name()
        )
    })
}
