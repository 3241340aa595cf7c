//! What is remembered of a computer, and of all, written down one after the other.

use jolly_core::error_chain;
use jolly_core::state::SheetError;

use crate::persist;
use crate::session::Session;
use crate::tui::lookups;
use crate::tui::msg::Keeping;

/// Remembers something.
pub(super) fn keep(session: &Session, keeping: Keeping) -> Result<(), String> {
    match keeping {
        Keeping::RulesOff(off) => lookups::keep_off(session, &off),
        Keeping::Exclusions(before, after) => {
            persist::keep_exclusions(&session.files, &before, &after)
        }
        Keeping::Visit(look, scan) => not_kept(session.note_visit(Some(&look), &scan)),
        Keeping::Decided(decided) => not_kept(session.note_decided(&decided)),
        Keeping::Run(run, decided) => not_kept(
            session
                .note_run(&run)
                .and_then(|()| session.remember(&decided)),
        ),
        Keeping::Done(names) => {
            // Whoever can't keep it reads the lines again tomorrow, and nothing else.
            drop(persist::keep_done(&session.files, &names));
            Ok(())
        }
        Keeping::Belongs(scope, program, name) => {
            persist::keep_belongs(&session.files, scope, (&program, &name))
        }
        Keeping::MeantTheSame(a, b, is_meant) => {
            persist::keep_meant_the_same(&session.files, (&a, &b), is_meant)
        }
        Keeping::Starts(before, after) => persist::keep_starts(&session.files, &before, &after),
    }
}

/// A sheet that can't be kept is no reason not to work, but it is told.
fn not_kept(kept: Result<(), SheetError>) -> Result<(), String> {
    kept.map_err(|error| format!("This visit is not kept: {}", error_chain(&error)))
}
