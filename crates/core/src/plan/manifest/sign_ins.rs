//! Who will have to sign in again, and where, once the cookies of a list are gone.

use std::collections::{BTreeMap, HashSet};

use jiff::Timestamp;

use crate::cancel::CancelToken;
use crate::computer::{AccountName, EntryKind, Target};
use crate::format::Site;
use crate::plan::Manifest;
use crate::source::holder::address::{site_of, table_of};
use crate::survey::{Sites, sites};

/// How many sites are named.
const NAMED: usize = 10;

/// What one person will notice of cookies that go.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SignInsLost {
    /// Who; none for profiles of nobody.
    pub account: Option<AccountName>,
    /// On how many sites they are signed in, as far as cookies look so.
    pub many: usize,
    /// The ten used most of these.
    pub most_used: Vec<Site>,
}

/// What cookies on a list mean for each person; nothing is read where none is on it.
pub fn sign_ins_lost(
    target: &Target,
    manifest: &Manifest,
    now: Timestamp,
    cancel: &CancelToken,
) -> Vec<SignInsLost> {
    let mut going: HashSet<(Option<AccountName>, String)> = HashSet::new();
    manifest.items.each_view(&mut |_, view| {
        if view.kind() != EntryKind::ListEntry {
            return;
        }
        let item = view.item();
        let name = item.path.name();
        if matches!(table_of(name), Some("cookies" | "moz_cookies"))
            && let Some(site) = site_of(name)
        {
            going.insert((item.account.clone(), site.to_owned()));
        }
    });
    if going.is_empty() {
        return Vec::new();
    }
    let known = sites(target, cancel);
    let mut lost: BTreeMap<Option<AccountName>, Vec<(u64, Site)>> = BTreeMap::new();
    for one in &known.sites {
        let account = Sites::account_name(target, one.account).cloned();
        let is_signed_in = one
            .signed_in_until
            .is_some_and(|until| until > now.as_second());
        let key = (account, one.site.as_str().to_owned());
        if is_signed_in && going.contains(&key) {
            let own = lost.entry(key.0).or_default();
            match own.iter_mut().find(|(_, site)| *site == one.site) {
                Some((visits, _)) => *visits += one.all.visits,
                None => own.push((one.all.visits, one.site.clone())),
            }
        }
    }
    let told = lost.into_iter().map(|(account, mut own)| {
        own.sort_by(|one, other| other.cmp(one));
        SignInsLost {
            account,
            many: own.len(),
            most_used: own.into_iter().take(NAMED).map(|(_, site)| site).collect(),
        }
    });
    told.collect()
}
