//! Extra places: rules of the computer's own rulebook.

use std::sync::Arc;

use jolly_core::error_chain;
use jolly_core::rule::{NewPlace, add_place, remove_place};
use jolly_core::state::{shown_name, write_whole};

use crate::books::{Shelf, read_rules};
use crate::session::Session;

/// A change of the computer's own rulebook.
pub(crate) enum PlaceChange {
    /// A folder becomes a pile of its own.
    Add(Box<NewPlace>),
    /// A rule goes, by the second half of its id.
    Remove(String),
}

/// Changes the computer's own rulebook, and gives the computer with its new rules. Nothing is written
/// unless all rules read together.
pub(crate) fn change_places(session: &Session, change: &PlaceChange) -> Result<Session, String> {
    let files = &session.files;
    let in_one_line = |text: &str| text.lines().next().unwrap_or_default().to_owned();
    let refuse = |error: &dyn std::error::Error| in_one_line(&error_chain(error));
    let text = files.read_rulebook().map_err(|error| refuse(&error))?;
    let text = text.map(|(_, text)| text);
    let name = shown_name(&files.rulebook);
    let layout = session.target.layout;
    let text = match change {
        PlaceChange::Add(place) => {
            let target = &session.target;
            let opened = target
                .disk()
                .open_folder(target.root(), place.folder.as_bytes());
            opened.map_err(|error| format!("{}: {error}", place.folder))?;
            let added = add_place(&name, text.as_deref(), layout, place);
            added.map_err(|error| refuse(&error))?.0
        }
        PlaceChange::Remove(id) => {
            let text = text.unwrap_or_default();
            remove_place(&name, &text, id).map_err(|error| refuse(&error))?
        }
    };
    let shelf = Shelf {
        named: &session.rulebooks,
        own: Some((name, text.clone())),
        config: session.config.as_deref(),
    };
    let rules = read_rules(layout, &shelf);
    let rules = rules.map_err(|refusal| in_one_line(&refusal.message))?;
    write_whole(&files.rulebook, &text).map_err(|error| refuse(&error))?;
    Ok(Session {
        rules: Arc::new(rules),
        ..session.clone()
    })
}
