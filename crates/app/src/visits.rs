//! What is kept of visits in job sheets, for the command line and the interface alike.

use jolly_core::state::{
    Decided, SheetError, SheetStore, StateFolder, VisitLook, VisitRun, VisitScan,
};

use crate::exit::Refusal;
use crate::session::{STATE_ADVICE, Session, clock};

impl Session {
    /// Which visit this is, counted from 1.
    pub(crate) fn visit_number(&self) -> usize {
        let visits = self.sheet.as_ref().map_or(&[][..], |sheet| &sheet.visits);
        let goes_on = visits
            .last()
            .is_some_and(|last| last.goes_on_at(self.opened));
        visits.len() + usize::from(!goes_on)
    }

    /// Notes in the computer's job sheet what this visit found.
    pub(crate) fn note_visit(
        &self,
        look: Option<&VisitLook>,
        scan: &VisitScan,
    ) -> Result<(), SheetError> {
        let now = self.now.unwrap_or_else(clock);
        let mut store = SheetStore::open(&self.state)?;
        store.note_scan(&self.target, (self.opened, now), scan)?;
        match look {
            Some(look) => store.note_look(&self.target, self.opened, look),
            None => Ok(()),
        }
    }

    /// Remembers there what a person decided. Who swept single things decided nothing about the rest.
    pub(crate) fn remember(&self, decided: &[Decided]) -> Result<(), SheetError> {
        if !decided.iter().any(|one| one.is_taken) {
            return Ok(());
        }
        SheetStore::open(&self.state)?.remember(&self.target, decided)
    }

    /// Notes there what is decided, for whoever goes on with this visit.
    pub(crate) fn note_decided(&self, decided: &[Decided]) -> Result<(), SheetError> {
        SheetStore::open(&self.state)?.note_decided(&self.target, self.opened, decided)
    }

    /// What was decided before at this visit; nothing where it begins. Sheets that can't be read were told of before.
    pub(crate) fn decided_before(&self) -> Vec<Decided> {
        let store = SheetStore::open_existing(&self.state).ok().flatten();
        let sheet = store.and_then(|store| store.of_computer(&self.identity).ok().flatten());
        let last = sheet.and_then(|sheet| sheet.visits.into_iter().next_back());
        let goes_on = last.filter(|last| last.runs.is_empty() && last.goes_on_at(self.opened));
        goes_on.map(|last| last.decided).unwrap_or_default()
    }

    /// Notes there what a run did.
    pub(crate) fn note_run(&self, run: &VisitRun) -> Result<(), SheetError> {
        SheetStore::open(&self.state)?.note_run(&self.target, self.opened, run)
    }
}

/// The job sheets that there are, where one is named.
pub(crate) fn existing_sheets(state: &StateFolder) -> Result<SheetStore, Refusal> {
    let store = SheetStore::open_existing(state).map_err(|error| refuse_sheets(&error))?;
    store.ok_or_else(no_sheets)
}

/// That there are none yet.
pub(crate) fn no_sheets() -> Refusal {
    let advice = "each gets a job sheet at its first scan in the interface, its first sweep, or by `scan --keep-visit`";
    Refusal::bad_words("no computer was visited yet", advice)
}

/// What to do about job sheets that can't be used.
pub(crate) fn refuse_sheets(error: &SheetError) -> Refusal {
    match error {
        SheetError::State(_) => Refusal::bad_input(error, STATE_ADVICE),
        SheetError::Newer { .. } => Refusal::bad_input(error, "use the version that wrote them"),
        SheetError::Damaged { .. } => Refusal::bad_input(
            error,
            "move that file away and begin anew, or put a copy of it back; nothing of it was changed",
        ),
        SheetError::FileServer { .. } => Refusal::bad_input(
            error,
            "name a folder of this machine with --state, and bring sheets together with `sheet export` and `sheet import`",
        ),
        SheetError::NoSuchSheet { .. } | SheetError::Ambiguous { .. } => {
            Refusal::bad_input(error, "`jolly-broom sheet list` names them all")
        }
        SheetError::Database { .. } | SheetError::Backup { .. } => {
            Refusal::failed(error, "make room in the state folder, and try again")
        }
    }
}
