//! A pile of translations, language by language.

use std::sync::Arc;

use jolly_core::decide::{Inside, LanguageShare, Node};
use jolly_core::pile::Sum;

use crate::tui::model::Weigh;

/// The languages of a pile, to be taken or left one by one.
pub(in crate::tui) struct LanguagesView {
    inside: Arc<Inside>,
    /// The largest first, with what of each goes.
    pub rows: Vec<(LanguageShare, Sum)>,
    /// The one in focus.
    pub focus: usize,
}

impl LanguagesView {
    pub(in crate::tui) fn new(weigh: &Weigh, inside: &Arc<Inside>) -> Self {
        let languages = inside.languages(&weigh.scan).into_iter();
        let mut view = Self {
            inside: Arc::clone(inside),
            rows: languages.map(|share| (share, Sum::default())).collect(),
            focus: 0,
        };
        view.sum_up(weigh);
        view
    }

    /// Adds up anew what goes of each.
    pub(in crate::tui) fn sum_up(&mut self, weigh: &Weigh) {
        let takes = self.inside.takes(&weigh.scan, &weigh.decisions);
        for (share, goes) in &mut self.rows {
            *goes = Sum::default();
            for folder in &share.folders {
                goes.add(self.inside.takes_of(&takes, *folder));
            }
        }
    }

    /// What can be chosen of the language in focus: its code, its folders, and whether any of it goes.
    pub(in crate::tui) fn focused(&self, weigh: &Weigh) -> Option<(String, Vec<Node>, bool)> {
        let (share, goes) = self.rows.get(self.focus)?;
        let folders = share.folders.iter();
        let nodes = folders.filter_map(|folder| self.inside.node(&weigh.scan, *folder));
        Some((share.code.clone(), nodes.collect(), goes.items > 0))
    }
}
