//! How this shop starts, class by class and rule by rule, beside what is built in.

use jolly_core::decide::{PileDecision, Start, StartLimit, Starts};
use jolly_core::rule::{Class, RuleNumber};
use tui_input::Input;

use crate::session::Session;

/// What one row speaks of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum StartsRow {
    Class(Class),
    Rule(RuleNumber),
}

/// How this shop starts.
pub(in crate::tui) struct StartsView {
    pub rows: Vec<StartsRow>,
    pub focus: usize,
    /// What counts when the view closes.
    pub starts: Starts,
    /// An exact age that is typed; with what was wrong with it.
    pub asking: Option<(Input, Option<String>)>,
}

impl StartsView {
    /// The view of what counts now.
    pub(in crate::tui) fn new(session: &Session, starts: &Starts) -> Self {
        let mut rows = Vec::new();
        for class in Class::ALL {
            rows.push(StartsRow::Class(class));
            let of_class = session.rules.iter();
            let of_class = of_class.filter(|(_, rule)| rule.rule.class == class);
            rows.extend(of_class.map(|(number, _)| StartsRow::Rule(number)));
        }
        Self {
            rows,
            focus: 0,
            starts: starts.clone(),
            asking: None,
        }
    }

    /// The row in focus.
    pub(in crate::tui) fn focused(&self) -> Option<StartsRow> {
        self.rows.get(self.focus).copied()
    }

    /// What the shop says of a row.
    pub(in crate::tui) fn said(&self, session: &Session, row: StartsRow) -> Start {
        let said = match row {
            StartsRow::Class(class) => self.starts.classes.get(&class),
            StartsRow::Rule(number) => {
                let id = &session.rules.rule(number).id;
                self.starts.rules.get(&**id)
            }
        };
        said.copied().unwrap_or_default()
    }

    /// How a row starts: what counts, and what is built in.
    pub(in crate::tui) fn counts(
        &self,
        session: &Session,
        row: StartsRow,
    ) -> (PileDecision, PileDecision) {
        match row {
            StartsRow::Class(class) => {
                let said = self.said(session, row);
                let built_in = PileDecision {
                    is_taken: class.starts_taken(),
                    limit: None,
                    by: class.removal(),
                };
                let counts = PileDecision {
                    is_taken: said.is_taken.unwrap_or(built_in.is_taken),
                    limit: said.limit.and_then(StartLimit::limit),
                    ..built_in
                };
                (counts, built_in)
            }
            StartsRow::Rule(number) => {
                let rule = session.rules.rule(number);
                let counts = self.starts.of(&rule.id, &rule.rule);
                (counts, Starts::built_in(&rule.rule))
            }
        }
    }
}
