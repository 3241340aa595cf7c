//! What will be noticed, by whom, and because of what.

use std::cmp::Reverse;

use jolly_core::pile::Sum;
use jolly_core::rule::Class;

use crate::tui::model::check::SYSTEM;
use crate::tui::model::check::list::{ListPile, class_turn};

/// How a rule begins to say that nobody notices anything.
const NOBODY: &str = "Nobody will notice";

/// Whom it concerns when it is the system's.
const EVERYONE: &str = "everyone";

/// Something that will be noticed.
pub(in crate::tui) struct Notice {
    pub class: Class,
    /// What, in a sentence.
    pub what: String,
    pub who: Vec<String>,
    /// The titles of the piles that it is because of.
    pub because: Vec<String>,
    pub sum: Sum,
    /// The first of those piles in the list.
    pub pile: usize,
    /// Whether it comes of so little that it stands in a row with others.
    pub is_small: bool,
}

/// What comes of less than this part of all that goes is small.
const SMALL_PART: u64 = 100;

/// What nobody notices.
#[derive(Clone, Copy, Default)]
pub(in crate::tui) struct Unnoticed {
    pub piles: u64,
    pub sum: Sum,
}

/// What follows from the piles of the list; `after` says what each leaves to be noticed. Piles of which
/// the same is said stand in one row.
pub(super) fn notices(
    piles: &[ListPile],
    after: &dyn Fn(&ListPile) -> String,
) -> (Vec<Notice>, Unnoticed) {
    let mut all: Vec<Notice> = Vec::new();
    let mut unnoticed = Unnoticed::default();
    for (at, pile) in piles.iter().enumerate() {
        let what = after(pile);
        if what.starts_with(NOBODY) || what.is_empty() {
            unnoticed.piles += 1;
            unnoticed.sum.add(pile.sum);
            continue;
        }
        let who = if pile.account == SYSTEM {
            EVERYONE
        } else {
            pile.account.as_str()
        };
        let known = all.iter_mut().find(|known| known.what == what);
        let Some(known) = known else {
            all.push(Notice {
                class: pile.class,
                what,
                who: vec![who.to_owned()],
                because: vec![pile.title.clone()],
                sum: pile.sum,
                pile: at,
                is_small: false,
            });
            continue;
        };
        let mut add = |list: fn(&mut Notice) -> &mut Vec<String>, text: &str| {
            let list = list(known);
            if !list.iter().any(|other| other == text) {
                list.push(text.to_owned());
            }
        };
        add(|notice| &mut notice.who, who);
        add(|notice| &mut notice.because, &pile.title);
        known.sum.add(pile.sum);
    }
    for notice in &mut all {
        if notice.who.iter().any(|who| who == EVERYONE) {
            notice.who = vec![EVERYONE.to_owned()];
        }
        notice.who.sort();
    }
    let whole: u64 = piles.iter().map(|pile| pile.sum.bytes).sum();
    for notice in &mut all {
        // What somebody misses is never small.
        let may_be = matches!(notice.class, Class::Regrows | Class::Spent);
        notice.is_small = may_be && notice.sum.bytes.saturating_mul(SMALL_PART) < whole;
    }
    all.sort_by_key(|notice| {
        (
            notice.is_small,
            class_turn(notice.class),
            Reverse(notice.sum.bytes),
        )
    });
    (all, unnoticed)
}
