//! What is remembered of a computer, and of all, written down one after the other.

use crate::persist;
use crate::session::Session;
use crate::tui::lookups;
use crate::tui::msg::Keeping;

/// Remembers something.
pub(super) fn keep(session: &Session, keeping: Keeping) -> Result<(), String> {
    match keeping {
        Keeping::RulesOff(off) => lookups::keep_off(session, off),
        Keeping::Exclusions(before, after) => {
            persist::keep_exclusions(&session.files, &before, &after)
        }
        Keeping::Visit(time, volume) => {
            // A sheet that can't be kept is no reason not to work.
            lookups::note_visit(session, time, volume);
            Ok(())
        }
        Keeping::Done(names) => {
            // Whoever can't keep it reads the lines again tomorrow, and nothing else.
            drop(persist::keep_done(&session.files, &names));
            Ok(())
        }
        Keeping::Belongs(scope, program, name) => {
            persist::keep_belongs(&session.files, scope, (&program, &name))
        }
        Keeping::Starts(before, after) => persist::keep_starts(&session.files, &before, &after),
    }
}
