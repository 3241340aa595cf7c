//! What is asked of where the space is.

use std::sync::Arc;

use crossbeam_channel::Sender;
use jolly_core::CancelToken;
use jolly_core::pile::Scan;
use jolly_core::survey::{
    CopyNews, Space, copies, inventory, lying, said_of, snapshots, space, versions,
};
use jolly_core::walk::walk_tree;

use crate::session::Session;
use crate::surveys::keep_look;
use crate::tui::model::{KnownCopies, MOST_ROWS, UNUSED};
use crate::tui::msg::{Msg, SpaceNews, SpaceQuestion};

pub(super) fn answer(
    scan: &Arc<Scan>,
    asked: SpaceQuestion,
    cancel: &CancelToken,
    news: &Sender<Msg>,
) -> SpaceNews {
    match asked {
        SpaceQuestion::Walk(session) => {
            let found = look_at_space(scan, session.as_deref(), cancel, news);
            SpaceNews::Found(Some(Arc::new(found)))
        }
        SpaceQuestion::Snapshots(space) => {
            SpaceNews::Snapshots(snapshots(&scan.target, &space.tree, cancel))
        }
        SpaceQuestion::Copies(space, session) => {
            let found = look_at_copies(scan, (space, session.as_deref()), cancel, news);
            SpaceNews::Copies(Some(Arc::new(found)))
        }
        SpaceQuestion::Versions(space) => {
            let sink = |heard| compared(scan, heard, news);
            let found = versions(&scan.target, &space.tree, cancel, &sink);
            SpaceNews::Versions(Some(Arc::new(found)))
        }
    }
}

/// Tells how far it is; only the newest news counts: what doesn't fit is dropped.
fn compared(scan: &Arc<Scan>, heard: CopyNews, news: &Sender<Msg>) {
    drop(news.try_send(Msg::Space(Arc::clone(scan), SpaceNews::Compared(heard))));
}

/// Walks everything, and marks what the rules have found of it.
fn look_at_space(
    scan: &Arc<Scan>,
    session: Option<&Session>,
    cancel: &CancelToken,
    news: &Sender<Msg>,
) -> Space {
    let tree = walk_tree(&scan.target, &[], cancel, &|heard| {
        // Only the newest news counts: what doesn't fit is dropped.
        drop(news.try_send(Msg::Space(Arc::clone(scan), SpaceNews::Walked(heard))));
    });
    let mut found = space(&scan.target, tree);
    found.mark(scan.found_by_folder());
    if let Some(session) = session.filter(|_| !cancel.is_cancelled()) {
        let known = inventory(&scan.target, &session.belongs_now(), cancel);
        found.lying = lying(&scan.target, &found, &known);
        // What can't be kept is only missing at the next visit.
        drop(keep_look(session, &mut found));
    }
    found.note_lists(scan.now.as_second() - UNUSED, MOST_ROWS);
    found
}

/// Looks for files that are there twice; what was walked already isn't walked again.
fn look_at_copies(
    scan: &Arc<Scan>,
    (space, session): (Option<Arc<Space>>, Option<&Session>),
    cancel: &CancelToken,
    news: &Sender<Msg>,
) -> KnownCopies {
    let space = space.unwrap_or_else(|| Arc::new(look_at_space(scan, session, cancel, news)));
    let meant = session.and_then(|it| it.files.read_meant_the_same().ok());
    let meant = meant.unwrap_or_default();
    let found = copies(&scan.target, &space.tree, (&[], &meant), cancel, &|heard| {
        compared(scan, heard, news);
    });
    let said = said_of(&found, &space.tree, &scan.copies);
    KnownCopies {
        space,
        spare: found.spare(),
        copies: found,
        said,
        meant: meant.len() as u64,
    }
}
