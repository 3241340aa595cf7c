//! Copies of what stays where it is.

use std::ffi::CStr;

use jolly_disk::{Disk, Folder, Stat};

use crate::cancel::CancelToken;
use crate::dustpan::Writer;
use crate::plan::{ItemOutcome, ManifestItem};

impl Writer<'_> {
    /// Takes a copy of a file that stays where it is, under the path of the item.
    pub(crate) fn store_copy(
        &mut self,
        place: (&dyn Disk, &Folder, &CStr),
        item: &ManifestItem,
        stat: &Stat,
        stop: &CancelToken,
    ) -> Result<(), ItemOutcome> {
        self.store_named(place, item, stat, stop)?;
        self.mark_as_copy();
        Ok(())
    }

    /// Takes a copy that was written from what stays where it is; it gets the owner and mode of `of`.
    pub(crate) fn store_written_copy(
        &mut self,
        item: &ManifestItem,
        of: &Stat,
        written: Vec<u8>,
        stop: &CancelToken,
    ) -> Result<(), ItemOutcome> {
        self.store_entry(item, of, written, stop)?;
        self.mark_as_copy();
        Ok(())
    }

    fn mark_as_copy(&mut self) {
        if let Some(last) = self.open.last_mut() {
            last.copy = true;
        }
    }
}
