//! Why the free space is not what was predicted.

use crate::sweep::RunSummary;
use crate::target::Holder;

/// One part of the difference.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Cause {
    /// Items of the list stayed.
    Stayed,
    /// The run ended before it had reached them.
    NotReached,
    /// The dustpan lies on the same volume.
    Dustpan,
    /// A program opened them in the last moment, and holds what is no longer there.
    Held(Holder),
    /// Nothing that is known: a snapshot may hold it, or others wrote meanwhile.
    Unknown,
    /// More came back than was promised: others removed something meanwhile.
    MoreFreed,
}

/// Takes the difference between predicted and measured free space apart, in bytes; empty when there
/// is none. The parts add up to it: what is less first, and `MoreFreed` the other way.
pub fn explain(summary: &RunSummary) -> Vec<(Cause, u64)> {
    let promised = summary.free_predicted.saturating_sub(summary.free_before);
    let stayed: u64 = summary
        .outcomes
        .iter()
        .filter(|(outcome, _)| outcome.stays())
        .map(|(_, sum)| sum.bytes)
        .sum();
    let went: u64 = summary.went.values().map(|sum| sum.bytes).sum();
    // Folders' own blocks are promised, but no item's.
    let items = promised.saturating_sub(summary.folders_promised);
    let not_reached = if summary.is_stopped || summary.broke_off.is_some() {
        items.saturating_sub(went.saturating_add(stayed))
    } else {
        0
    };
    let (held, holder) = summary.still_held.clone();
    let mut parts = vec![
        (Cause::Stayed, stayed.saturating_add(summary.folders_stayed)),
        (Cause::NotReached, not_reached),
        (Cause::Dustpan, summary.packed_on_target),
    ];
    parts.extend(holder.map(|holder| (Cause::Held(holder), held)));
    parts.retain(|(_, bytes)| *bytes > 0);
    let known: i128 = parts.iter().map(|(_, bytes)| i128::from(*bytes)).sum();
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
