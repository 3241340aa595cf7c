//! The sites that browsers of a target know: what each left there, how much it is used, and whether somebody is signed in.
//!
//! Databases are read as a scan reads them (`source/holder`), so nothing of a profile is changed. `rows` asks the
//! databases, `stored` measures what lies in folders.

mod rows;
mod stored;

use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::cancel::CancelToken;
use crate::computer::{AccountName, Target, TargetPath};
use crate::format::Site;
use crate::survey::{Extension, Profile, extensions, profiles};

/// A site with at least so many visits is used often.
const OFTEN: u64 = 10;

/// One used within so many seconds is used lately.
const LATELY: i64 = 60 * 86_400;

/// A cookie that is valid for so many seconds from now lasts.
const LASTING: i64 = 7 * 86_400;

/// What one host of a site left.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct HostTraces {
    /// Cookies.
    pub cookies: u64,
    /// Visits of its pages.
    pub visits: u64,
    /// When it was used last, seconds since 1970.
    pub last_used: Option<i64>,
}

impl HostTraces {
    fn merge(&mut self, other: &Self) {
        self.cookies = self.cookies.saturating_add(other.cookies);
        self.visits = self.visits.saturating_add(other.visits);
        self.used(other.last_used);
    }

    fn used(&mut self, when: Option<i64>) {
        self.last_used = self.last_used.max(when);
    }
}

/// What one site left in one profile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SiteTraces {
    /// The site.
    pub site: Site,
    /// Whose profile it is, by position in the target's accounts.
    pub account: Option<usize>,
    /// The profile, by position in [`Sites::profiles`].
    pub profile: usize,
    /// Everything of it together.
    pub all: HostTraces,
    /// Its hosts, by name.
    pub hosts: BTreeMap<String, HostTraces>,
    /// Bytes in the browser's cache.
    pub cache: u64,
    /// Bytes in storage of its own.
    pub storage: u64,
    /// Until when the longest sign-in-like cookie is valid, seconds since 1970.
    pub signed_in_until: Option<i64>,
}

impl SiteTraces {
    fn new(site: Site, account: Option<usize>, profile: usize) -> Self {
        Self {
            site,
            account,
            profile,
            all: HostTraces::default(),
            hosts: BTreeMap::new(),
            cache: 0,
            storage: 0,
            signed_in_until: None,
        }
    }

    /// Adds what the same site left in another profile.
    pub fn merge(&mut self, other: &Self) {
        self.all.merge(&other.all);
        for (host, traces) in &other.hosts {
            self.hosts.entry(host.clone()).or_default().merge(traces);
        }
        self.cache = self.cache.saturating_add(other.cache);
        self.storage = self.storage.saturating_add(other.storage);
        self.signed_in_until = self.signed_in_until.max(other.signed_in_until);
    }

    /// Until when a sign-in lasts that doesn't end soon.
    fn lasting_sign_in(&self, now: i64) -> Option<i64> {
        self.signed_in_until.filter(|until| *until > now + LASTING)
    }

    /// Until when somebody looks signed in there, in words.
    pub fn sign_in_words(&self, now: Timestamp) -> Option<String> {
        sign_in_words(self.lasting_sign_in(now.as_second())?)
    }

    /// Why it is worth keeping, in words; whether that is enough to suggest it.
    pub fn evidence(&self, now: Timestamp) -> (bool, Vec<String>) {
        let now = now.as_second();
        let mut said = Vec::new();
        let lasts = self.lasting_sign_in(now);
        said.extend(lasts.and_then(sign_in_words));
        let is_often = self.all.visits >= OFTEN;
        if is_often {
            said.push(format!("{} visits", self.all.visits));
        }
        let is_lately = self.all.last_used.is_some_and(|used| used > now - LATELY);
        if is_lately && let Some(used) = self.all.last_used {
            let days = (now - used).max(0) / 86_400;
            said.push(match days {
                0 => "used today".to_owned(),
                1 => "used yesterday".to_owned(),
                days => format!("used {days} days ago"),
            });
        }
        (lasts.is_some() && is_often && is_lately, said)
    }
}

fn sign_in_words(until: i64) -> Option<String> {
    let until = Timestamp::from_second(until).ok()?;
    let date = until.to_zoned(jiff::tz::TimeZone::UTC).date();
    Some(format!("looks signed in until {date}"))
}

/// All sites of a target.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Sites {
    /// Every profile.
    pub profiles: Vec<Profile>,
    /// What was added to the browsers of these profiles, where that was asked for.
    pub extensions: Vec<Extension>,
    /// What each site left in each, those used most first.
    pub sites: Vec<SiteTraces>,
    /// What couldn't be read, and why.
    pub unread: Vec<(TargetPath, String)>,
}

impl Sites {
    /// The sites of one account with a sign-in-like cookie, those used most first.
    pub fn signed_in(&self, account: Option<usize>) -> impl Iterator<Item = &SiteTraces> {
        let own = self.sites.iter().filter(move |one| one.account == account);
        own.filter(|one| one.signed_in_until.is_some())
    }

    /// The name of an account.
    pub fn account_name(target: &Target, account: Option<usize>) -> Option<&AccountName> {
        target.accounts.get(account?).map(|account| &account.name)
    }
}

/// The sites of one profile while they are gathered.
struct Gathering {
    profile: usize,
    account: Option<usize>,
    sites: BTreeMap<Site, SiteTraces>,
}

impl Gathering {
    fn of(&mut self, site: Site) -> &mut SiteTraces {
        let (account, profile) = (self.account, self.profile);
        let new = |site: &Site| SiteTraces::new(site.clone(), account, profile);
        self.sites.entry(site).or_insert_with_key(new)
    }
}

/// Finds out what sites left in all profiles of a target; what is known so far when it is cancelled.
pub fn sites(target: &Target, cancel: &CancelToken) -> Sites {
    let mut found = Sites::default();
    for profile in profiles(target) {
        if cancel.is_cancelled() {
            break;
        }
        let (account, path, family) = (profile.account, &profile.path, profile.family);
        let mut gathering = Gathering {
            profile: found.profiles.len(),
            account,
            sites: BTreeMap::new(),
        };
        rows::gather(
            target,
            (path, family),
            &mut gathering,
            &mut found.unread,
            cancel,
        );
        let own_caches = target.places.of_account(profile.cache_place(), account);
        let own = own_caches.iter().filter(|cache| is_of(cache, path));
        let folders: Vec<&TargetPath> = own.chain([path]).collect();
        stored::gather(target, (path, family), &folders, &mut gathering, cancel);
        found.sites.extend(gathering.sites.into_values());
        found.profiles.push(profile);
    }
    let order = |one: &SiteTraces| {
        let used = (one.all.visits, one.all.cookies, one.all.last_used);
        (std::cmp::Reverse(used), one.site.clone(), one.profile)
    };
    found.sites.sort_by_cached_key(order);
    found
}

/// The same, with what was added to the browsers.
pub fn sites_and_extensions(target: &Target, cancel: &CancelToken) -> Sites {
    let mut found = sites(target, cancel);
    let (added, unread) = extensions(target, cancel);
    found.extensions = added;
    found.unread.extend(unread);
    found
}

/// Whether a cache folder mirrors a profile: it is called like it.
fn is_of(cache: &TargetPath, profile: &TargetPath) -> bool {
    let two = |path: &TargetPath| {
        let above = path.parent().map(|above| above.name().to_vec());
        (above, path.name().to_vec())
    };
    two(cache).1 == two(profile).1
}
