//! The rules in force, looked through one by one.

use jolly_core::pile::Sum;
use jolly_core::rule::{RuleNumber, Section};
use tui_input::Input;

use crate::session::Session;
use crate::tui::model::Weigh;

/// What the rules view says of one rule.
pub(in crate::tui) struct RuleRow {
    pub rule: RuleNumber,
    /// What it is listed under.
    pub section: Option<Section>,
    /// What it found and takes at the last scan of this computer.
    pub found: Option<(Sum, Sum)>,
    /// The folders that it looks in on this target.
    pub roots: Vec<String>,
    pub is_off: bool,
}

/// The rules in force.
pub(in crate::tui) struct Rulebooks {
    pub rows: Vec<RuleRow>,
    /// Position in `rows`.
    pub focus: usize,
    /// A path that is asked about, while it is typed.
    pub asking: Option<Input>,
    /// What was said of the last one.
    pub answer: Option<String>,
}

impl Rulebooks {
    /// The rules of an open computer, `off` those that are turned off, with what the last scan found.
    pub(in crate::tui) fn new(
        session: &Session,
        off: &[RuleNumber],
        weigh: Option<&Weigh>,
    ) -> Self {
        let mut rows: Vec<RuleRow> = session
            .rules
            .iter()
            .map(|(rule, compiled)| RuleRow {
                rule,
                section: compiled.rule.section,
                found: weigh.map(|weigh| sums(weigh, rule)),
                roots: roots(weigh, rule),
                is_off: off.contains(&rule),
            })
            .collect();
        // A technician's own rules, which say no section, come first; in a section the order in which rules
        // own things stays.
        rows.sort_by_key(|row| row.section);
        Self {
            rows,
            focus: 0,
            asking: None,
            answer: None,
        }
    }
}

fn sums(weigh: &Weigh, rule: RuleNumber) -> (Sum, Sum) {
    let (mut found, mut takes) = (Sum::default(), Sum::default());
    for (at, pile) in weigh.scan.piles.iter().enumerate() {
        if pile.rule == rule {
            found.add(pile.found());
            takes.add(weigh.decisions.takes(jolly_core::source::PileId(at)));
        }
    }
    (found, takes)
}

fn roots(weigh: Option<&Weigh>, rule: RuleNumber) -> Vec<String> {
    let searches = weigh.iter().flat_map(|weigh| &weigh.scan.searches);
    let own = searches.filter(|search| search.rule == rule);
    own.map(|search| search.root.to_string()).collect()
}
