//! Which rule has an entry of a list, and what the rules make of a list as a whole.

use std::sync::Arc;

use crate::cancel::CancelToken;
use crate::computer::TargetPath;
use crate::pile::explain::{Asked, ExplainedThing, Seen, by_age, explain_file, thing_at};
use crate::pile::{Explanation, Question};
use crate::rule::{
    Fit, ListFormat, Ownership, RecordSet, RuleNumber, Verdict, age_at, decide_owner,
};
use crate::source::holder::address::row_of;
use crate::source::holder::{self, Holder, Wanted};
use crate::source::{HolderItem, Recogniser};

/// A list that was read to explain it.
struct ReadList {
    thing: ExplainedThing,
    holder: Box<dyn Holder>,
}

/// Reads a list; why not, where it can't be.
fn read(
    question: &Question<'_>,
    path: &TargetPath,
    format: ListFormat,
) -> Result<ReadList, String> {
    let thing = thing_at(question.target, path).ok_or("it is not there")?;
    let sets = record_sets(question, path);
    let wanted = Wanted::of(format, &sets);
    let never = CancelToken::default();
    let read = holder::read(
        question.target,
        (&thing.folder, path.as_name()),
        wanted,
        &never,
    );
    let holder = read.map_err(|error| error.to_string())?.holder;
    Ok(ReadList { thing, holder })
}

/// The rows that rules ask for of a database, in the order in which they own them.
fn record_sets(question: &Question<'_>, path: &TargetPath) -> Vec<Arc<RecordSet>> {
    let mut sets: Vec<Arc<RecordSet>> = Vec::new();
    for search in question.searches {
        let rule = question.rules.rule(search.rule);
        let fits = path.below(&search.root).filter(|below| !below.is_empty());
        let fits = fits.is_some_and(|below| rule.fit(below) == Fit::Takes);
        if let Some(set) = rule.rule.records.as_ref().filter(|_| fits)
            && !sets.contains(set)
        {
            sets.push(Arc::clone(set));
        }
    }
    sets
}

/// Whose an entry is, with why its recogniser found it.
fn owner(
    question: &Question<'_>,
    recogniser: &Recogniser<'_>,
    (path, thing): (&TargetPath, &ExplainedThing),
    entry: &HolderItem,
) -> (Ownership<usize>, String) {
    let mut asked = Asked {
        question,
        recogniser,
        path,
        thing: Some(thing),
        entry: Some(entry),
        because: None,
    };
    let owned = decide_owner(0..question.searches.len(), &mut asked);
    (owned, asked.because.unwrap_or_default())
}

/// Explains a path that lies below a list; nothing where it doesn't.
pub(super) fn explain_entry(question: &Question<'_>, path: &TargetPath) -> Option<Explanation> {
    let list = path.parent()?;
    let format = question.searches.iter().find_map(|search| {
        let rule = question.rules.rule(search.rule);
        let below = list.below(&search.root).filter(|below| !below.is_empty())?;
        rule.rule.entries.filter(|_| rule.fit(below) == Fit::Takes)
    })?;
    let read = read(question, &list, format).ok()?;
    let entry = read
        .holder
        .items()
        .iter()
        .find(|entry| is_meant(entry, path.name()))?;
    let recogniser = Recogniser::new(question.target, question.now, &CancelToken::default());
    let place = (&list, &read.thing);
    let (owned, because) = owner(question, &recogniser, place, entry);
    let is_by_what_it_names = matches!(format, ListFormat::Registry | ListFormat::MimeApps);
    if !matches!(owned, Ownership::Owned(_)) && is_by_what_it_names {
        return Some(Explanation {
            verdict: Verdict::NotMine,
            rule: None,
            search: None,
            reason: "what it names is there, or can't be known to be gone".to_owned(),
            exists: true,
            seen: None,
        });
    }
    let Ownership::Owned(at) = owned else {
        // What is said of its list holds for each of its entries.
        return Some(explain_file(question, &list));
    };
    let search = question.searches.get(at)?;
    let rule = question.rules.rule(search.rule);
    let age = entry.time.map(|time| age_at(time, question.now));
    let (verdict, reason) = match (rule.rule.entries, age) {
        (None, _) => (
            Verdict::NotMine,
            "another rule wants its list as a whole".to_owned(),
        ),
        (Some(_), None) => (
            Verdict::Young,
            "its list has no date of it, so it stays".to_owned(),
        ),
        (Some(_), age) => by_age(rule, age),
    };
    Some(Explanation {
        verdict,
        rule: Some(search.rule),
        search: Some(search.clone()),
        reason: format!("{because}{reason}"),
        exists: true,
        seen: Some(Seen {
            size: entry.size,
            key: read.thing.stat.key,
            age,
        }),
    })
}

/// What the items of a holder are called.
fn items_of(format: ListFormat) -> &'static str {
    match format {
        ListFormat::Xbel | ListFormat::MimeApps => "entries",
        ListFormat::Rows => "rows",
        ListFormat::Registry => "keys and values that name files",
        ListFormat::Snapshots => "restore points",
    }
}

/// Whether a name is an entry's: of a row, table and number are enough.
fn is_meant(entry: &HolderItem, name: &[u8]) -> bool {
    entry.name == name || (entry.set.is_some() && row_of(&entry.name).as_bytes() == name)
}

/// What becomes of a list whose first owner is this rule.
pub(super) fn sum_up(
    question: &Question<'_>,
    path: &TargetPath,
    format: ListFormat,
    number: RuleNumber,
) -> (Verdict, String) {
    let read = match read(question, path, format) {
        Ok(read) => read,
        Err(why) => {
            return (
                Verdict::Spared,
                format!("its {} stay: {why}", items_of(format)),
            );
        }
    };
    let recogniser = Recogniser::new(question.target, question.now, &CancelToken::default());
    let rule = question.rules.rule(number);
    let (mut own, mut old) = (0_u64, 0_u64);
    for entry in read.holder.items() {
        let (owned, _) = owner(question, &recogniser, (path, &read.thing), entry);
        let is_own = matches!(owned, Ownership::Owned(at)
            if question.searches.get(at).is_some_and(|search| search.rule == number));
        let age = entry.time.map(|time| age_at(time, question.now));
        let is_old = age.is_some() && by_age(rule, age).0 == Verdict::Taken;
        own += u64::from(is_own);
        old += u64::from(is_own && is_old);
    }
    let all = read.holder.items().len();
    let limit = rule.rule.age.limit;
    let limit = limit.map_or_else(String::new, |limit| format!(", {old} at least {limit} old"));
    let verdict = if old > 0 {
        Verdict::Taken
    } else {
        Verdict::Young
    };
    (
        verdict,
        format!(
            "{own} of its {all} {} are this rule's{limit}",
            items_of(format)
        ),
    )
}
