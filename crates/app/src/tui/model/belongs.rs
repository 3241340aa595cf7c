//! Saying to which program belongs what looks left behind.

use jolly_core::decide::Scope;
use tui_input::Input;

use crate::tui::model::ProgramsView;

/// A name, and the program that is being typed.
pub(in crate::tui) struct BelongsDraft {
    /// What looks left behind, by position.
    pub left: usize,
    /// What it is called.
    pub name: String,
    pub program: Input,
    /// Whether it counts on this computer or on all.
    pub scope: Scope,
    /// Programs that are called so.
    pub offered: Vec<String>,
    pub wrong: Option<String>,
    /// The lens that it was asked for from.
    pub lens: Box<ProgramsView>,
}

/// Programs that are offered at most.
const OFFERED: usize = 6;

impl BelongsDraft {
    pub(in crate::tui) fn new(left: usize, name: String, lens: Box<ProgramsView>) -> Self {
        let mut draft = Self {
            left,
            name,
            program: Input::default(),
            scope: Scope::Computer,
            offered: Vec::new(),
            wrong: None,
            lens,
        };
        draft.offer();
        draft
    }

    /// Looks for programs that are called as what was typed.
    pub(in crate::tui) fn offer(&mut self) {
        let typed = self.program.value().trim().to_lowercase();
        let known = self.lens.known.iter();
        let all = known.flat_map(|known| &known.inventory.programs);
        let is_so = |text: &str| text.to_lowercase().starts_with(&typed);
        let found = all.filter(|one| {
            !typed.is_empty() && (is_so(&one.name) || is_so(&one.id)) && one.is_own_program()
        });
        self.offered = found.take(OFFERED).map(|one| one.id.clone()).collect();
    }

    /// The program that was typed, by what its source knows it by.
    pub(in crate::tui) fn meant(&self) -> Option<String> {
        let typed = self.program.value().trim();
        let known = self.lens.known.iter();
        let mut all = known.flat_map(|known| &known.inventory.programs);
        let is_it = |text: &str| text.eq_ignore_ascii_case(typed);
        let meant = all.find(|one| is_it(&one.id) || is_it(&one.name));
        meant.map(|one| one.id.clone())
    }
}
