//! Which rule has a path of a target, and why.

mod entries;
mod points;

use std::ops::ControlFlow;

use jiff::Timestamp;
use jolly_disk::{FileKey, Folder, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::rule::{
    CompiledRule, Detect, FileKind, Fit, Guard, Guards, Ownership, Probe, RecordSet, Rule,
    RuleNumber, RuleSet, Search, Verdict, age_at, decide_owner,
};
use crate::source::{Candidate, Finding, HolderItem, Recogniser, families, is_below_tag};

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
    /// What was seen of it, where it is.
    pub seen: Option<Seen>,
}

/// What was seen of a thing that was asked about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Seen {
    /// Its apparent length, in bytes.
    pub size: u64,
    /// What tells it from others.
    pub key: FileKey,
    /// Its age in seconds, by the rule that has it.
    pub age: Option<u64>,
}

/// What was looked up about the path itself.
struct ExplainedThing {
    folder: Folder,
    stat: Stat,
}

/// What a path is asked about on a target.
pub struct Question<'a> {
    /// The target.
    pub target: &'a Target,
    /// The rules in force.
    pub rules: &'a RuleSet,
    /// Where they look on it.
    pub searches: &'a [Search],
    /// The guards that stand there.
    pub guards: &'a Guards,
    /// The moment that ages count from.
    pub now: Timestamp,
}

/// A path that is asked about.
struct Asked<'a> {
    question: &'a Question<'a>,
    recogniser: &'a Recogniser<'a>,
    path: &'a TargetPath,
    thing: Option<&'a ExplainedThing>,
    /// The entry that is meant, where the path is a list.
    entry: Option<&'a HolderItem>,
    /// Why its recogniser found it, to begin a reason with.
    because: Option<String>,
}

impl Probe for Asked<'_> {
    /// A search, by position.
    type Search = usize;

    fn rule(&self, at: usize) -> (RuleNumber, &Rule) {
        let number = self.question.searches[at].rule;
        (number, &self.question.rules.rule(number).rule)
    }

    fn row_set(&self) -> Option<&RecordSet> {
        self.entry?.set.as_deref()
    }

    fn fit(&mut self, at: usize) -> Fit {
        let search = &self.question.searches[at];
        let below = self.path.below(&search.root);
        match below.filter(|below| !below.is_empty()) {
            Some(below) => self.question.rules.rule(search.rule).fit(below),
            None => Fit::No,
        }
    }

    fn guard(&mut self, at: usize) -> Option<Guard> {
        let search = &self.question.searches[at];
        let rule = &self.question.rules.rule(search.rule).rule;
        let target = self.question.target;
        let by_path = self.question.guards.path(self.path, rule, &search.root);
        by_path.or_else(|| is_in_maildir(target, self.path).then_some(Guard::Mail))
    }

    fn size(&mut self) -> Option<u64> {
        // Of what isn't there only names decide.
        Some(self.thing.map_or(u64::MAX, |thing| thing.stat.size))
    }

    fn looks_like(&mut self, kinds: &[FileKind]) -> bool {
        let Some(thing) = self.thing else {
            return false;
        };
        let looked = self
            .recogniser
            .looks_like(&thing.folder, self.path.as_name(), kinds);
        thing.stat.kind == Kind::File && looked.unwrap_or(false)
    }

    fn recognises(&mut self, at: usize, detect: Detect) -> bool {
        let Some(thing) = self.thing else {
            return false;
        };
        let search = &self.question.searches[at];
        let candidate = Candidate {
            search,
            path: self.path,
            folder: &thing.folder,
            name: self.path.as_name(),
            kind: thing.stat.kind,
            entry: self.entry,
        };
        let rule = &self.question.rules.rule(search.rule).rule;
        match self.recogniser.look(rule, detect, &candidate) {
            Finding::Is(reason) => {
                self.because = Some(format!("{reason}; "));
                true
            }
            Finding::Not | Finding::Unclear(_) => false,
        }
    }
}

impl Asked<'_> {
    /// What a rule would have but for a guard that keeps it from looking.
    fn unseen(&mut self) -> Ownership<usize> {
        let kept_away = (0..self.question.searches.len()).find_map(|at| {
            let guard = (self.fit(at) == Fit::Takes).then(|| self.guard(at))?;
            guard
                .filter(|_| self.would_find(at))
                .map(|guard| (at, guard))
        });
        kept_away.map_or(Ownership::Nobodys, |(at, guard)| {
            Ownership::Guarded(at, guard)
        })
    }

    fn would_find(&mut self, at: usize) -> bool {
        let search = &self.question.searches[at];
        let (kinds, detect) = {
            let rule = &self.question.rules.rule(search.rule).rule;
            (rule.looks_like.clone(), rule.detect)
        };
        let folder = self.path.parent().unwrap_or_default();
        let is_kind = kinds.is_empty() || self.looks_like(&kinds);
        is_kind
            && match detect.filter(|detect| detect.looks_inside()) {
                None => !kinds.is_empty(),
                Some(Detect::CacheTagged) => {
                    is_below_tag(self.question.target, &search.root, &folder)
                }
                Some(detect) => self.recognises(at, detect),
            }
    }
}

/// Whether a path lies in one of the three folders of a mail folder.
fn is_in_maildir(target: &Target, path: &TargetPath) -> bool {
    let disk = &**target.disk();
    let mut at = path.parent();
    while let Some(folder) = at.filter(|folder| !folder.is_root()) {
        at = folder.parent();
        let holder = at.clone().unwrap_or_default();
        let opened = disk.open_folder(target.root(), holder.as_bytes());
        if opened.is_ok_and(|holder| Guards::is_of_maildir(disk, &holder, folder.name())) {
            return true;
        }
    }
    false
}

/// Says which rule owns `path` and what becomes of it; an entry of a list lies below it, as if that were a folder.
pub fn explain(question: &Question<'_>, path: &TargetPath) -> Explanation {
    if let Some(explained) = points::explain_point(question, path) {
        return explained;
    }
    if let Some(explained) = entries::explain_entry(question, path) {
        return explained;
    }
    explain_file(question, path)
}

/// The same of what has a name of its own on the disk.
fn explain_file(question: &Question<'_>, path: &TargetPath) -> Explanation {
    let Question {
        target,
        searches,
        now,
        ..
    } = *question;
    let thing = thing_at(target, path);
    let recogniser = Recogniser::new(target, now, &CancelToken::default());
    let mut asked = Asked {
        question,
        recogniser: &recogniser,
        path,
        thing: thing.as_ref(),
        entry: None,
        because: None,
    };
    let owned = match decide_owner(0..searches.len(), &mut asked) {
        // For one path that somebody asks about, it is worth a look whether it would be.
        Ownership::Unseen(..) => asked.unseen(),
        owned => owned,
    };
    let because = asked.because;
    let found = |at: usize, verdict, reason: String| {
        let search = searches.get(at).cloned();
        Explanation {
            verdict,
            rule: search.as_ref().map(|search| search.rule),
            search,
            reason,
            exists: thing.is_some(),
            seen: thing.as_ref().map(|thing| Seen {
                size: thing.stat.size,
                key: thing.stat.key,
                age: None,
            }),
        }
    };
    match owned {
        Ownership::Guarded(at, guard) | Ownership::Unseen(at, guard) => {
            found(at, Verdict::Guarded, format!("guarded: {}", guard.words()))
        }
        Ownership::Spared(at) => found(
            at,
            Verdict::Spared,
            "the rule names it in `spare`".to_owned(),
        ),
        Ownership::Nobodys => found(usize::MAX, Verdict::NotMine, "no rule takes it".to_owned()),
        Ownership::Owned(at) => {
            let Some(search) = searches.get(at) else {
                return found(usize::MAX, Verdict::NotMine, String::new());
            };
            let (verdict, reason) = owned_by(question, &recogniser, (path, thing.as_ref()), search);
            let reason = format!("{}{reason}", because.unwrap_or_default());
            let mut explained = found(at, verdict, reason);
            let rule = &question.rules.rule(search.rule).rule;
            if let (Some(seen), Some(thing)) = (&mut explained.seen, &thing) {
                let time = recogniser.time(rule, search, path, &thing.stat);
                seen.age = time.map(|time| age_at(time, now));
            }
            explained
        }
    }
}

/// What becomes of a thing that the rule of a search owns, and why.
fn owned_by(
    question: &Question<'_>,
    recogniser: &Recogniser<'_>,
    (path, thing): (&TargetPath, Option<&ExplainedThing>),
    search: &Search,
) -> (Verdict, String) {
    let rule = question.rules.rule(search.rule);
    if let (Some(format), true) = (rule.rule.entries, thing.is_some()) {
        return entries::sum_up(question, path, format, search.rule);
    }
    if let Some(reason) = kept(question.target, recogniser, rule, search, path, thing) {
        return (Verdict::Spared, reason);
    }
    let because = trashed(recogniser, rule, search, path, thing).unwrap_or_default();
    let time = thing.and_then(|thing| recogniser.time(&rule.rule, search, path, &thing.stat));
    let (verdict, reason) = by_age(rule, time.map(|time| age_at(time, question.now)));
    let unit = path
        .parent()
        .and_then(|folder| recogniser.unit(&rule.rule, search, &folder));
    let whole = unit.map_or_else(String::new, |unit| {
        format!("; it goes whole or stays with {unit}, by the age of the youngest in it")
    });
    (verdict, format!("{because}{reason}{whole}"))
}

fn thing_at(target: &Target, path: &TargetPath) -> Option<ExplainedThing> {
    let disk = target.disk();
    let parent = path.parent().unwrap_or_default();
    let folder = disk.open_folder(target.root(), parent.as_bytes()).ok()?;
    let stat = disk.stat(&folder, path.as_name()).ok()?;
    Some(ExplainedThing { folder, stat })
}

/// What a trash says of a thing in it, to begin a reason with.
fn trashed(
    recogniser: &Recogniser<'_>,
    rule: &CompiledRule,
    search: &Search,
    path: &TargetPath,
    thing: Option<&ExplainedThing>,
) -> Option<String> {
    let detect = rule.rule.detect.filter(|detect| !detect.looks_inside())?;
    let thing = thing?;
    let candidate = Candidate {
        search,
        path,
        folder: &thing.folder,
        name: path.as_name(),
        kind: thing.stat.kind,
        entry: None,
    };
    match recogniser.look(&rule.rule, detect, &candidate) {
        Finding::Is(reason) => Some(format!("{reason}; ")),
        Finding::Not | Finding::Unclear(_) => None,
    }
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
    recogniser: &Recogniser<'_>,
    rule: &CompiledRule,
    search: &Search,
    path: &TargetPath,
    thing: Option<&ExplainedThing>,
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
    families::newest_first(&mut family, |(time, name)| (*time, families::counted(name)));
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
