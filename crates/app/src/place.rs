//! Writing down an extra place: a rule of the computer's own rulebook.

use std::sync::Arc;

use jolly_core::error_chain;
use jolly_core::rule::{NewPlace, add_place};
use jolly_core::state::{shown_name, write_whole};

use crate::books::{Shelf, read_rules};
use crate::session::Session;

/// Adds a folder of this computer as a pile of its own, and gives the computer with its new rules.
/// Nothing is written unless all rules read together.
pub(crate) fn keep_place(session: &Session, place: &NewPlace) -> Result<Session, String> {
    let files = &session.files;
    let in_one_line = |text: &str| text.lines().next().unwrap_or_default().to_owned();
    let refuse = |error: &dyn std::error::Error| in_one_line(&error_chain(error));
    let text = files.read_rulebook().map_err(|error| refuse(&error))?;
    let text = text.map(|(_, text)| text);
    let name = shown_name(&files.rulebook);
    let (text, _) = add_place(&name, text.as_deref(), session.target.layout, place)
        .map_err(|error| refuse(&error))?;
    let shelf = Shelf {
        named: &session.rulebooks,
        own: Some((name, text.clone())),
        config: session.config.as_deref(),
    };
    let rules = read_rules(session.target.layout, &shelf);
    let rules = rules.map_err(|refusal| in_one_line(&refusal.message))?;
    write_whole(&files.rulebook, &text).map_err(|error| refuse(&error))?;
    Ok(Session {
        rules: Arc::new(rules),
        ..session.clone()
    })
}
