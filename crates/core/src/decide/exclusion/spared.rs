//! Exclusions held against things that a list names.

use crate::computer::Layout;
use crate::decide::{Exclusion, ExclusionError, Matcher, Thing};

/// An exclusion that counts, held against things that a list names.
#[derive(Clone, Debug)]
pub struct Spared {
    matcher: Matcher,
    name: String,
}

impl Spared {
    /// Those of some exclusions that count, on a target of this layout.
    ///
    /// # Errors
    /// When one is no pattern, or says nothing.
    pub fn of(exclusions: &[Exclusion], layout: Layout) -> Result<Vec<Self>, ExclusionError> {
        let active = exclusions.iter().filter(|one| !one.is_suspended);
        let spared = active.map(|one| {
            let matcher = one.spares.matcher(layout)?;
            let name = one.name();
            Ok(Self { matcher, name })
        });
        spared.collect()
    }

    /// What the exclusion is called, when it spares a thing.
    pub(crate) fn spares(&self, thing: &Thing<'_>) -> Option<&str> {
        self.matcher.spares(thing).then_some(self.name.as_str())
    }
}
