//! Why a thing stays although its rule takes it: what a rule alone can't know.

use jolly_core::computer::TargetPath;
use jolly_core::decide::{Exclusion, Thing};
use jolly_core::host::InUse;
use jolly_core::pile::Explanation;
use jolly_core::rule::Verdict;
use jolly_core::state::{Sheet, SheetStore};

use crate::session::Session;

/// Why a thing that its rule takes would stay as things stand, the strongest reason first: its rule is
/// turned off, somebody excluded it, a program holds it, or its rule only starts left.
pub(crate) fn stays_because(
    session: &Session,
    path: &TargetPath,
    found: &Explanation,
) -> Option<String> {
    let number = found.rule.filter(|_| found.verdict == Verdict::Taken)?;
    // What was said since the computer was opened counts, too.
    let store = SheetStore::open_existing(&session.state).ok().flatten();
    let sheet = store.and_then(|store| store.of_computer(&session.identity).ok()?);
    let rule = session.rules.rule(number);
    let is_off = |sheet: &Sheet| sheet.rules_off.iter().any(|id| *id == *rule.id);
    if sheet
        .as_ref()
        .or(session.sheet.as_ref())
        .is_some_and(is_off)
    {
        return Some("its rule is turned off for this computer".to_owned());
    }
    if let Some(why) = &rule.rule.only_seen {
        return Some(format!("it is only seen: {why}"));
    }
    let kept = session.files.read_exclusions();
    let kept = kept.unwrap_or_else(|_unread| session.exclusions.clone());
    let mut all = kept.iter();
    if let Some(exclusion) = all.find(|one| spares(session, one, path, found)) {
        let because = match exclusion.why.as_str() {
            "" => String::new(),
            why => format!(", because: {why}"),
        };
        let scope = exclusion.scope.words();
        return Some(format!(
            "excluded on {scope}: {}{because}",
            exclusion.spares
        ));
    }
    let key = found.seen.map(|seen| seen.key);
    if let Some(program) = key.and_then(|key| InUse::read().user_of(key).cloned()) {
        return Some(format!("open in {program}"));
    }
    let start = session.starts.of(&rule.id, &rule.rule);
    (!start.is_taken).then(|| "it starts left, until somebody takes it".to_owned())
}

/// Whether an exclusion that counts spares a thing.
fn spares(
    session: &Session,
    exclusion: &Exclusion,
    path: &TargetPath,
    found: &Explanation,
) -> bool {
    let target = &session.target;
    let rule = found.rule.map(|number| &session.rules.rule(number).id);
    let (Some(rule), false) = (rule, exclusion.is_suspended) else {
        return false;
    };
    let account = found.search.as_ref().and_then(|search| search.account);
    let account = account.and_then(|number| target.accounts.get(number));
    let thing = Thing {
        path,
        rule,
        account: account.map(|account| &*account.name),
        size: found.seen.map(|seen| seen.size),
        // Of what has no age nothing is too young.
        age: found.seen.and_then(|seen| seen.age).unwrap_or(u64::MAX),
    };
    let matcher = exclusion.spares.matcher(target.layout);
    matcher.is_ok_and(|matcher| matcher.spares(&thing))
}
