//! What threads do to pack or rescue something.

use std::cell::Cell;
use std::os::unix::fs::MetadataExt as _;
use std::time::{Duration, Instant};

use crossbeam_channel::Sender;
use jolly_core::CancelToken;
use jolly_core::computer::{Account, AccountName};
use jolly_core::packing::PackError;

use crate::packing::{PackWay, why_not};
use crate::session::Session;
use crate::tui::model::PackSubject;
use crate::tui::msg::{Msg, PackOrder, PackingNews};
use crate::wording::{bytes, counted};

/// How often it is told how far it is.
const TOLD: Duration = Duration::from_millis(80);

/// Finds out what it would come to.
pub(super) fn look(session: &Session, subject: &PackSubject, cancel: &CancelToken) -> PackingNews {
    match subject {
        PackSubject::Pack(path) | PackSubject::Unpack(path) => {
            let gain = session.weigh_packing(path, cancel);
            PackingNews::Weighed(gain.map_err(|error| sentence(&error)))
        }
        PackSubject::Rescue(name) => {
            PackingNews::Contents(account_of(session, name).and_then(|account| {
                let contents = session.home_contents(account, cancel);
                contents.map(Box::new).map_err(|error| sentence(&error))
            }))
        }
    }
}

fn account_of<'a>(session: &'a Session, name: &AccountName) -> Result<&'a Account, String> {
    let mut accounts = session.target.accounts.iter();
    let account = accounts.find(|one| one.name == *name);
    account.ok_or_else(|| format!("Nobody here is called {name}."))
}

fn sentence(error: &PackError) -> String {
    match error {
        PackError::Stopped => "It was stopped, and all is as it was.".to_owned(),
        error => format!("{}.", why_not(error)),
    }
}

/// Does it; what is to be said of it.
pub(super) fn pack(
    session: &Session,
    order: &PackOrder,
    send: &Sender<Msg>,
) -> Result<Vec<String>, String> {
    let (moved, told) = (Cell::new(0_u64), Cell::new(Instant::now()));
    let heard = |many: u64| {
        moved.set(moved.get().saturating_add(many));
        if told.get().elapsed() > TOLD {
            told.set(Instant::now());
            // Only the newest news counts: what doesn't fit is dropped.
            drop(send.try_send(Msg::Packing(PackingNews::Moved(moved.get()))));
        }
    };
    let control = (&order.cancel, &heard as &dyn Fn(u64));
    let (path, way) = match &order.subject {
        PackSubject::Pack(path) => (path, PackWay::In),
        PackSubject::Unpack(path) => (path, PackWay::Out),
        PackSubject::Rescue(name) => {
            let account = account_of(session, name)?;
            // Who owns the folder gets the archive, too, where that can be given.
            let owner = std::fs::metadata(&order.to).ok();
            let owner = owner.map(|to| (to.uid(), to.gid()));
            let owner = owner.filter(|_| jolly_disk::runner() == 0);
            let rescued = session.rescue(account, (&order.paths, &order.to, owner), control);
            let rescued = rescued.map_err(|error| sentence(&error))?;
            let mut lines = vec![
                format!(
                    "{}, {}, are in {}, packed {}; read back and compared.",
                    counted(rescued.files, "file"),
                    bytes(rescued.bytes),
                    rescued.archive.display(),
                    bytes(rescued.packed)
                ),
                "The hashes beside it are checked by `sha256sum -c`. The home is as it was."
                    .to_owned(),
            ];
            if rescued.is_on_same_volume {
                lines.push(
                    "It lies on the volume that it came from: it goes when that goes.".to_owned(),
                );
            }
            lines.extend(
                rescued
                    .left
                    .iter()
                    .take(6)
                    .map(|left| format!("Left out: {left}.")),
            );
            return Ok(lines);
        }
    };
    let packed = session.pack(path, way, control);
    let packed = packed.map_err(|error| sentence(&error))?;
    let (before, after) = (bytes(packed.before), bytes(packed.after));
    let mut lines = vec![format!("{before} became {after}: {}.", packed.path)];
    if way == PackWay::In {
        lines.push("`z` on the archive, or `jolly-broom unpack`, takes it out again. What was scanned before doesn't know of it.".to_owned());
    }
    lines.extend(packed.note.map(|note| format!("But {note}.")));
    Ok(lines)
}
