//! Why the free space is not what was predicted.

use crate::host::RunningProgram;
use crate::run::RunSummary;

/// One part of the difference.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Cause {
    /// Items of the list stayed.
    Stayed,
    /// The run ended before it had reached them.
    NotReached,
    /// The dustpan lies on the same volume.
    Dustpan,
    /// A name of the same file stayed, and its bytes with it.
    Linked,
    /// A program opened them in the last moment, and holds what is no longer there.
    Held(RunningProgram),
    /// Databases gave back less than their rows promised.
    LessFromDatabases,
    /// Databases gave back more when they were compacted.
    MoreFromDatabases,
    /// Nothing that is known: a snapshot may hold it, or others wrote meanwhile.
    Unknown,
    /// More came back than was promised: others removed something meanwhile.
    MoreFreed,
}

/// Takes the difference between predicted and measured free space apart, in bytes; empty when there
/// is none. The parts add up to it: what is less first, and `MoreFreed` and
/// `MoreFromDatabases` the other way.
pub fn explain(summary: &RunSummary) -> Vec<(Cause, u64)> {
    let stayed: u64 = summary
        .outcomes
        .iter()
        .filter(|(outcome, _)| outcome.stays())
        .map(|(_, sum)| sum.bytes)
        .sum();
    let went: u64 = summary.went.values().map(|sum| sum.bytes).sum();
    let items = summary.items_promised;
    let not_reached = if summary.is_stopped || summary.broke_off.is_some() {
        items.saturating_sub(went.saturating_add(stayed).saturating_add(summary.linked))
    } else {
        0
    };
    let (held, program) = summary.still_held.clone();
    let mut parts = vec![
        (Cause::Stayed, stayed.saturating_add(summary.folders_stayed)),
        (Cause::NotReached, not_reached),
        (Cause::Linked, summary.linked),
        (Cause::Dustpan, summary.packed_on_target),
    ];
    parts.extend(program.map(|program| (Cause::Held(program), held)));
    let compacted = summary.compacted.unsigned_abs();
    if summary.compacted < 0 {
        parts.push((Cause::LessFromDatabases, compacted));
    }
    parts.retain(|(_, bytes)| *bytes > 0);
    let mut known: i128 = parts.iter().map(|(_, bytes)| i128::from(*bytes)).sum();
    if summary.compacted > 0 {
        parts.push((Cause::MoreFromDatabases, compacted));
        known -= i128::from(compacted);
    }
    let missing = i128::from(summary.free_predicted) - i128::from(summary.free_after);
    let rest = missing - known;
    let size = u64::try_from(rest.unsigned_abs()).unwrap_or(u64::MAX);
    match rest {
        0 => {}
        1.. => parts.push((Cause::Unknown, size)),
        _ => parts.push((Cause::MoreFreed, size)),
    }
    parts
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pile::Sum;
    use crate::plan::Outcome;
    use crate::rule::Class;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_the_parts_add_up_to_the_difference(
            (before, after) in (0_u64..1 << 40, 0_u64..1 << 40),
            (went, stayed, unreached, folders) in (0_u64..1 << 30, 0_u64..1 << 30, 0_u64..1 << 30, 0_u64..1 << 20),
            (packed, held, linked, is_stopped) in (0_u64..1 << 30, 0_u64..1 << 20, 0_u64..1 << 20, any::<bool>()),
            compacted in -(1_i64 << 20)..1 << 20,
        ) {
            let sum = |bytes| Sum { items: 1, bytes };
            let program = RunningProgram { process: 8, program: "knotbook".to_owned(), started: 0 };
            let promised = went + stayed + linked + unreached + folders;
            let summary = RunSummary {
                went_by_rule: Vec::new(),
                biggest: Vec::new(),
                outcomes: [(Outcome::Removed, sum(went)), (Outcome::InUse, sum(stayed))].into(),
                went: [((Class::Spent, None), sum(went))].into(),
                stayed: Vec::new(),
                free_before: before,
                free_after: after,
                free_predicted: before + promised,
                items_promised: promised.saturating_sub(folders),
                folders_stayed: 0,
                linked,
                compacted,
                packed_on_target: packed,
                still_held: (held, Some(program)),
                compared: None,
                is_stopped,
                broke_off: None,
            };
            let parts = explain(&summary);
            let signed = |(cause, bytes): &(Cause, u64)| match cause {
                Cause::MoreFreed | Cause::MoreFromDatabases => -i128::from(*bytes),
                _ => i128::from(*bytes),
            };
            let explained: i128 = parts.iter().map(signed).sum();
            prop_assert_eq!(explained, i128::from(before + promised) - i128::from(after));
            let not_reached = parts.iter().find(|(cause, _)| *cause == Cause::NotReached);
            let wanted = (is_stopped && unreached > 0).then_some(unreached);
            prop_assert_eq!(not_reached.map(|(_, bytes)| *bytes), wanted);
        }
    }
}
