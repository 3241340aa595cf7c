//! What a thread does for the chores that follow a sweep.

use crossbeam_channel::Sender;
use jolly_core::CancelToken;
use jolly_core::chores::ChoreEnd;
use jolly_core::format::Printable;

use crate::tui::msg::{Msg, SweepOrder, UpkeepNews};

/// Does those that follow a sweep.
pub(super) fn after(order: &SweepOrder, cancel: &CancelToken, send: &Sender<Msg>) -> Vec<ChoreEnd> {
    let done = order.chores.iter().map(|chore| {
        let title = chore.id.title();
        let said = |line: String| drop(send.try_send(Msg::Upkeep(UpkeepNews::Said(title, line))));
        said("…".to_owned());
        order.session.do_chore(chore, cancel, &mut |bytes| {
            let line = bytes.split(|byte| matches!(byte, b'\n' | b'\r'));
            let line = line.map(<[u8]>::trim_ascii).rfind(|line| !line.is_empty());
            // Only the newest news counts: what doesn't fit is dropped.
            if let Some(line) = line {
                said(Printable(line).to_string());
            }
        })
    });
    done.collect()
}
