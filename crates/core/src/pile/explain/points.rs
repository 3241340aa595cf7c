//! What becomes of a restore point.

use crate::computer::TargetPath;
use crate::pile::explain::{Seen, by_age, thing_at};
use crate::pile::{Explanation, Question};
use crate::rule::age_at;

/// What becomes of a restore point that a rule asks for; nothing where a path is none.
pub(super) fn explain_point(question: &Question<'_>, path: &TargetPath) -> Option<Explanation> {
    let folder = path.parent()?;
    let (search, point) = question.searches.iter().find_map(|search| {
        let points = search.points.as_ref().filter(|_| search.root == folder)?;
        Some((search, points.get(path.name())?))
    })?;
    let age = age_at(point.made, question.now);
    let (verdict, reason) = by_age(question.rules.rule(search.rule), Some(age));
    let thing = thing_at(question.target, path);
    Some(Explanation {
        verdict,
        rule: Some(search.rule),
        search: Some(search.clone()),
        reason: format!("a restore point; {reason}"),
        exists: thing.is_some(),
        seen: thing.map(|thing| Seen {
            size: 0,
            key: thing.stat.key,
            age: Some(age),
        }),
    })
}
