//! What tells a pile from all others.

use crate::computer::AccountName;
use crate::pile::{Pile, Scan};
use crate::rule::RuleId;
use crate::source::PileId;

/// Whose a pile is: the same from visit to visit, whatever the order of rules and accounts.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PileKey {
    /// The rule; the first half of its id says where the pile comes from: the name of a book, or `survey`.
    pub rule: RuleId,
    /// The account; none for the system.
    pub account: Option<AccountName>,
}

impl Scan {
    /// What tells a pile from all others.
    pub fn key_of(&self, pile: &Pile) -> PileKey {
        PileKey {
            rule: self.rules.rule(pile.rule).id.clone(),
            account: self.account_name(pile).map(AccountName::from),
        }
    }

    /// The pile with this key.
    pub fn pile_of(&self, key: &PileKey) -> Option<PileId> {
        let rule = self.rules.by_id(&key.rule)?;
        let mut piles = self.piles.iter();
        let is_it =
            |pile: &Pile| pile.rule == rule && self.account_name(pile) == key.account.as_deref();
        piles.position(is_it).map(PileId)
    }
}
