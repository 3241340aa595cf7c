//! Removing a program by its own package manager: what that would do, the word that starts it, its terminal.

use std::num::NonZeroU16;

use jolly_core::run::CommandEnd;
use jolly_core::survey::{Uninstall, Unwanted};
use tui_input::Input;

use crate::tui::model::ProgramsView;

/// How far it is.
pub(in crate::tui) enum UninstallStage {
    /// The manager is being asked.
    Asking,
    /// It can't be done here: why, and what can be.
    Refused(String, &'static str),
    /// What it would do; the word is being typed.
    Shown(Box<Uninstall>, Input, Option<String>),
    /// It runs, on this terminal.
    Runs(Box<Uninstall>, Box<vt100::Parser>),
    /// It is over; the terminal as it was at the end.
    Over(
        Box<Uninstall>,
        Box<vt100::Parser>,
        Result<CommandEnd, String>,
    ),
}

/// Removing a program.
pub(in crate::tui) struct UninstallView {
    pub unwanted: Unwanted,
    /// What people call it.
    pub name: String,
    pub stage: UninstallStage,
    /// The lens that it was asked for from.
    pub lens: Box<ProgramsView>,
}

/// Lines of the page that aren't the terminal's.
const AROUND: u16 = 14;

/// Columns and rows of the command's terminal, on a screen of this size.
pub(in crate::tui) fn command_size((columns, rows): (u16, u16)) -> (NonZeroU16, NonZeroU16) {
    let at_least = |cells: u16| NonZeroU16::new(cells).unwrap_or(NonZeroU16::MIN);
    (
        at_least(columns.saturating_sub(4)),
        at_least(rows.saturating_sub(AROUND)),
    )
}
