//! What is about to happen, in facts that make sentences.

use std::collections::BTreeSet;
use std::sync::Arc;

use jolly_core::decide::{EntryKind, Manifest, ManifestItem};
use jolly_core::rulebook::Removal;
use jolly_core::scan::{Scan, Sum};
use jolly_core::sweep::RunSummary;

/// How many of the biggest items are named.
const BIGGEST: usize = 3;

/// What a rule says afterwards when nobody notices anything.
const NOTHING: &str = "Nothing changes for anybody.";

/// The word that starts a sweep.
pub(in crate::tui) const WORD: &str = "sweep";

/// A rehearsal, before and after.
pub(in crate::tui) enum Rehearsal {
    None,
    UnderWay,
    Failed(String),
    Done(Box<RunSummary>),
}

/// The check station.
pub(in crate::tui) struct Check {
    pub scan: Arc<Scan>,
    /// None while it is being made.
    pub manifest: Option<Arc<Manifest>>,
    /// What goes for good.
    pub gone: Sum,
    /// What is set aside.
    pub aside: Sum,
    /// For each account, or the system, what its owner notices.
    pub afterwards: Vec<(String, Vec<String>)>,
    /// The biggest things that go.
    pub biggest: Vec<ManifestItem>,
    pub rehearsal: Rehearsal,
    /// How much of the word has been typed.
    pub typed: String,
    /// The first line of the list that shows.
    pub scroll: usize,
}

impl Check {
    /// A check whose manifest is being made.
    pub(in crate::tui) fn waiting(scan: Arc<Scan>) -> Self {
        Self {
            scan,
            manifest: None,
            gone: Sum::default(),
            aside: Sum::default(),
            afterwards: Vec::new(),
            biggest: Vec::new(),
            rehearsal: Rehearsal::None,
            typed: String::new(),
            scroll: 0,
        }
    }

    /// Takes the manifest in.
    pub(in crate::tui) fn hear(&mut self, manifest: Manifest) {
        let mut afterwards: BTreeSet<(String, String)> = BTreeSet::new();
        let mut by_size: Vec<&ManifestItem> = Vec::new();
        for item in manifest
            .items
            .iter()
            .filter(|item| item.kind != EntryKind::Folder)
        {
            let sum = match item.by {
                Removal::Remove | Removal::Overwrite => &mut self.gone,
                Removal::SetAside => &mut self.aside,
            };
            sum.add(Sum {
                items: 1,
                bytes: item.bytes,
            });
            let rule = self.scan.rules.by_id(&item.rule);
            let after = rule.map_or("", |rule| self.scan.rules.rule(rule).rule.after.as_str());
            let who = item.account.as_deref().unwrap_or("system");
            afterwards.insert((who.to_owned(), after.to_owned()));
            let at = by_size.partition_point(|bigger| bigger.bytes >= item.bytes);
            if at < BIGGEST {
                by_size.insert(at, item);
                by_size.truncate(BIGGEST);
            }
        }
        self.biggest = by_size.into_iter().cloned().collect();
        for (who, after) in afterwards {
            match self.afterwards.last_mut() {
                Some((last, sentences)) if *last == who => sentences.push(after),
                _ => self.afterwards.push((who, vec![after])),
            }
        }
        for (_, sentences) in self.afterwards.iter_mut().filter(|(_, all)| all.len() > 1) {
            // Next to what somebody does notice, that they don't notice the rest says nothing.
            sentences.retain(|sentence| sentence != NOTHING);
        }
        self.manifest = Some(Arc::new(manifest));
    }

    /// Whether a thread works for it.
    pub(in crate::tui) fn waits(&self) -> bool {
        self.manifest.is_none() || matches!(self.rehearsal, Rehearsal::UnderWay)
    }
}
