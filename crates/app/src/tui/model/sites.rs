//! The sites lens: what web sites left in all profiles, one row a site.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::sync::Arc;

use jiff::Timestamp;
use jolly_core::decide::{Exclusion, Spot};
use jolly_core::format::{Family, Site};
use jolly_core::source::PileId;
use jolly_core::survey::{HostTraces, SiteTraces, Sites};

use crate::tui::model::Weigh;

/// How the rows are ordered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum SiteOrder {
    /// What is worth keeping first, then by visits.
    Suggested,
    Visits,
    Cookies,
    LastUsed,
    Bytes,
    Name,
}

impl SiteOrder {
    /// Every order, as the key goes through them.
    pub(in crate::tui) const ALL: [Self; 6] = [
        Self::Suggested,
        Self::Visits,
        Self::Cookies,
        Self::LastUsed,
        Self::Bytes,
        Self::Name,
    ];

    /// In words.
    pub(in crate::tui) fn words(self) -> &'static str {
        match self {
            Self::Suggested => "worth keeping first",
            Self::Visits => "by visits",
            Self::Cookies => "by cookies",
            Self::LastUsed => "by last use",
            Self::Bytes => "by size",
            Self::Name => "by name",
        }
    }
}

/// What one site left in the profiles that are shown.
pub(in crate::tui) struct SiteSum {
    pub site: Site,
    /// With its own letters.
    pub shown: String,
    pub all: HostTraces,
    pub hosts: BTreeMap<String, HostTraces>,
    pub cache: u64,
    pub storage: u64,
    /// The profiles that know it.
    pub profiles: BTreeSet<usize>,
    pub is_suggested: bool,
    /// Until when somebody looks signed in there, in words.
    pub signed_in: Option<String>,
    /// Why it is worth keeping.
    pub evidence: Vec<String>,
}

/// A row of the lens.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum SiteRow {
    /// A site, by position.
    Site(usize),
    /// A host of a site, by both positions.
    Host(usize, usize),
}

/// What of a profile's rows can be taken from the lens.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum RowKind {
    Cookies,
    History,
}

/// The sites lens.
pub(in crate::tui) struct SitesView {
    /// Nothing while they are read.
    pub sites: Option<Arc<Sites>>,
    pub sums: Vec<SiteSum>,
    pub rows: Vec<SiteRow>,
    pub focus: usize,
    pub order: SiteOrder,
    /// The only profile that is shown.
    pub profile: Option<usize>,
    /// Sites whose hosts are shown.
    pub opened: HashSet<Site>,
    /// What is being kept, until it is known what that spares.
    pub pending: Vec<Exclusion>,
    /// Evidence is counted from here.
    pub now: Timestamp,
}

impl SitesView {
    pub(in crate::tui) fn new(now: Timestamp) -> Self {
        Self {
            sites: None,
            sums: Vec::new(),
            rows: Vec::new(),
            focus: 0,
            order: SiteOrder::Suggested,
            profile: None,
            opened: HashSet::new(),
            pending: Vec::new(),
            now,
        }
    }

    /// Takes in what was found.
    pub(in crate::tui) fn read(&mut self, sites: Arc<Sites>) {
        self.sites = Some(sites);
        self.sum_up();
    }

    /// Adds up what the profiles that are shown know, and lays the rows out.
    pub(in crate::tui) fn sum_up(&mut self) {
        let Some(sites) = &self.sites else { return };
        let mut sums: BTreeMap<&Site, (SiteTraces, BTreeSet<usize>)> = BTreeMap::new();
        let shown = sites.sites.iter();
        for one in shown.filter(|one| self.profile.is_none_or(|only| one.profile == only)) {
            sums.entry(&one.site)
                .and_modify(|(sum, profiles)| {
                    sum.merge(one);
                    profiles.insert(one.profile);
                })
                .or_insert_with(|| (one.clone(), BTreeSet::from([one.profile])));
        }
        let sums = sums.into_iter().map(|(site, (sum, profiles))| {
            let (is_suggested, evidence) = sum.evidence(self.now);
            SiteSum {
                signed_in: sum.sign_in_words(self.now),
                site: site.clone(),
                shown: site.shown(),
                all: sum.all,
                hosts: sum.hosts,
                cache: sum.cache,
                storage: sum.storage,
                profiles,
                is_suggested,
                evidence,
            }
        });
        self.sums = sums.collect();
        self.arrange();
    }

    /// Lays the rows out again; the focus stays on its site.
    pub(in crate::tui) fn arrange(&mut self) {
        let focused = self.focused().map(|sum| sum.site.clone());
        let order = self.order;
        self.sums.sort_by_cached_key(|sum| {
            let key = match order {
                SiteOrder::Suggested => (u64::from(sum.is_suggested) << 40) + sum.all.visits,
                SiteOrder::Visits => sum.all.visits,
                SiteOrder::Cookies => sum.all.cookies,
                SiteOrder::LastUsed => sum.all.last_used.unwrap_or(0).max(0).unsigned_abs(),
                SiteOrder::Bytes => sum.cache + sum.storage,
                SiteOrder::Name => 0,
            };
            (std::cmp::Reverse(key), sum.site.clone())
        });
        self.rows.clear();
        for (at, sum) in self.sums.iter().enumerate() {
            self.rows.push(SiteRow::Site(at));
            if self.opened.contains(&sum.site) {
                let hosts = 0..sum.hosts.len();
                self.rows.extend(hosts.map(|host| SiteRow::Host(at, host)));
            }
        }
        let same = |row: &SiteRow| match row {
            SiteRow::Site(at) => self.sums.get(*at).map(|sum| &sum.site) == focused.as_ref(),
            SiteRow::Host(..) => false,
        };
        let found = self.rows.iter().position(same);
        self.focus = found.unwrap_or_else(|| self.focus.min(self.rows.len().saturating_sub(1)));
    }

    /// The site in focus, or whose host is.
    pub(in crate::tui) fn focused(&self) -> Option<&SiteSum> {
        let (SiteRow::Site(at) | SiteRow::Host(at, _)) = self.rows.get(self.focus)?;
        self.sums.get(*at)
    }

    /// What a row is called, to be found by.
    pub(in crate::tui) fn name_of(&self, row: SiteRow) -> String {
        match row {
            SiteRow::Site(at) => self
                .sums
                .get(at)
                .map(|sum| format!("{} {}", sum.shown, sum.site)),
            SiteRow::Host(at, host) => {
                let sum = self.sums.get(at);
                sum.and_then(|sum| sum.hosts.keys().nth(host).cloned())
            }
        }
        .unwrap_or_default()
    }
}

impl Weigh {
    /// The sites that are kept, and where that counts; also those that are only being kept yet.
    pub(in crate::tui) fn kept_sites(&self) -> HashMap<Site, jolly_core::decide::Scope> {
        let all = self.decisions.exclusions().iter().map(|one| &one.exclusion);
        all.filter(|one| !one.is_suspended)
            .filter_map(|one| match &one.spares.spot {
                Some(Spot::Site(site)) => Some((site.clone(), one.scope)),
                _ => None,
            })
            .collect()
    }

    /// The piles of rows of a kind.
    pub(in crate::tui) fn row_piles(&self, kind: RowKind) -> Vec<PileId> {
        let is_it = |id: &PileId| {
            let rule = &self.scan.rules.rule(self.scan.pile(*id).rule).rule;
            let table = rule.records.as_deref().map(|set| set.table.as_str());
            matches!(
                (kind, table),
                (RowKind::Cookies, Some("cookies" | "moz_cookies"))
                    | (RowKind::History, Some("visits" | "moz_historyvisits"))
            )
        };
        self.decisions.shown(&self.scan).filter(is_it).collect()
    }

    /// The profiles that cookies go from, by position: those whose piles wait for a program lose none.
    pub(in crate::tui) fn profiles_losing_cookies(&self, sites: Option<&Sites>) -> BTreeSet<usize> {
        let piles = self.row_piles(RowKind::Cookies).into_iter();
        let taken = piles.filter(|id| self.decisions.takes(*id).items > 0);
        let owners: HashSet<(Option<usize>, Option<Family>)> = taken
            .map(|id| {
                let pile = self.scan.pile(id);
                let records = self.scan.rules.rule(pile.rule).rule.records.as_deref();
                let family = records.map(|set| Family::of_table(&set.table));
                (pile.account, family)
            })
            .collect();
        let profiles = sites.map_or(&[][..], |sites| &sites.profiles[..]);
        let losing = profiles.iter().enumerate();
        losing
            .filter(|(_, profile)| owners.contains(&(profile.account, Some(profile.family))))
            .map(|(at, _)| at)
            .collect()
    }

    /// Whether any of some piles is taken.
    pub(in crate::tui) fn takes_any(&self, piles: &[PileId]) -> bool {
        piles.iter().any(|id| self.decisions.of(*id).is_taken)
    }
}
