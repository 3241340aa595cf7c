//! What threads do to write something over.

use std::cell::Cell;
use std::time::{Duration, Instant};

use crossbeam_channel::Sender;
use jolly_core::CancelToken;
use jolly_core::error_chain;
use jolly_core::host::{WholeDisk, removable_disks, whole_disk};
use jolly_core::run::Pause;
use jolly_core::wiping::{Fill, volume_to_wipe};

use crate::session::Session;
use crate::tui::model::WipeChoice;
use crate::tui::msg::{Msg, WipeNews, WipeOrder};
use crate::wiping::{WipeManner, WipeSubject, Wiped, shown, volume_in_words, wipe};
use crate::wording::bytes;

/// How often it is told how far it is.
const TOLD: Duration = Duration::from_millis(80);

/// What is typed to have what is free written over.
const WORD: &str = "wipe";

/// What could be written over: what is free of the computer's volume, then each disk that can be pulled out. Beside a computer
/// that only stands in for one nothing of the real machine is offered.
pub(super) fn look(session: &Session) -> Vec<WipeChoice> {
    let mut all = vec![free_of(session)];
    if session.target.is_stand_in() {
        return all;
    }
    all.extend(removable_disks().iter().map(of_disk));
    all
}

fn free_of(session: &Session) -> WipeChoice {
    let cant = |why: String| WipeChoice {
        says: format!("what is free of {}", session.target.label),
        size: String::new(),
        notes: vec![why],
        can: None,
    };
    if session.target.is_stand_in() {
        let why = "a folder stands in for its volume: what is free is free of the disk that the folder lies on";
        return cant(why.to_owned());
    }
    match volume_to_wipe(session.target.root_path()) {
        Ok(volume) => WipeChoice {
            says: format!("what is free at {}", volume_in_words(&volume)),
            size: bytes(volume.free),
            notes: volume.caveats.clone(),
            can: Some((WipeSubject::Free(volume), WORD.to_owned())),
        },
        Err(error) => cant(error_chain(&error)),
    }
}

fn of_disk(disk: &WholeDisk) -> WipeChoice {
    let named = if disk.model.is_empty() {
        String::new()
    } else {
        format!(" ({})", disk.model)
    };
    let says = format!("all of {}{named}, {}", shown(&disk.path), disk.kind.words());
    let (notes, can) = match whole_disk(&disk.path) {
        Ok(disk) => {
            let subject = WipeSubject::Disk(disk.path.clone(), disk.word());
            (disk.wipe_caveats(), Some((subject, disk.word())))
        }
        Err(error) => (vec![error_chain(&error)], None),
    };
    WipeChoice {
        says,
        size: bytes(disk.size),
        notes,
        can,
    }
}

/// Writes it over.
pub(super) fn carry_out(
    order: &WipeOrder,
    (cancel, pause): (&CancelToken, &Pause),
    send: &Sender<Msg>,
) -> Result<Box<Wiped>, String> {
    let told = Cell::new(Instant::now());
    let heard = |progress| {
        if told.get().elapsed() > TOLD {
            told.set(Instant::now());
            // Only the newest news counts: what doesn't fit is dropped.
            drop(send.try_send(Msg::Wiping(WipeNews::Reached(progress))));
        }
    };
    let manner = WipeManner {
        fill: Fill::Random,
        passes: 1,
    };
    let wiped = wipe(
        &order.session.state,
        (&order.subject, manner),
        (cancel, pause),
        &heard,
    );
    wiped.map(Box::new).map_err(|error| error_chain(&error))
}
