//! Forgetting a computer.

use crate::state::{SheetError, SheetId, SheetStore};

impl SheetStore {
    /// Forgets a computer, and with it what refers to it: its visits, their runs, its rules that are off.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn forget(&mut self, id: &SheetId) -> Result<(), SheetError> {
        self.change(|change| {
            change.execute("DELETE FROM computer WHERE id = ?1", [&**id])?;
            Ok(())
        })
    }
}
