//! What will be noticed, by whom, and because of what.

use std::cmp::Reverse;

use crate::pile::Sum;
use crate::rule::Class;

/// How a rule begins to say that nobody notices anything.
const NOBODY: &str = "Nobody will notice";

/// Whom it concerns when it is the system's.
const EVERYONE: &str = "everyone";

/// A pile of which something goes, with what its rule says of that.
#[derive(Clone, Copy, Debug)]
pub struct NoticedPile<'a> {
    /// The class of the pile.
    pub class: Class,
    /// Whose it is; none for the system.
    pub account: Option<&'a str>,
    /// What it is called.
    pub title: &'a str,
    /// What will be noticed, in a sentence.
    pub after: &'a str,
    /// How much of it goes.
    pub sum: Sum,
}

/// Something that will be noticed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Notice {
    /// The class of the first pile that it is because of.
    pub class: Class,
    /// What, in a sentence.
    pub what: String,
    /// The accounts that it concerns, or everyone.
    pub who: Vec<String>,
    /// The titles of the piles that it is because of.
    pub because: Vec<String>,
    /// How much goes.
    pub sum: Sum,
    /// The position of the first of those piles.
    pub pile: usize,
    /// Whether it comes of so little that it stands in a row with others.
    pub is_small: bool,
}

/// What comes of less than this part of all that goes is small.
const SMALL_PART: u64 = 100;

/// What nobody notices.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Unnoticed {
    /// How many piles.
    pub piles: u64,
    /// How much goes of them.
    pub sum: Sum,
}

/// In which turn classes are read: what somebody notices first.
pub fn class_turn(class: Class) -> u8 {
    match class {
        Class::Felt => 0,
        Class::Ask => 1,
        Class::Regrows => 2,
        Class::Spent => 3,
    }
}

/// What follows from the piles of a list. Piles of which the same is said stand in one row.
pub fn notices(piles: &[NoticedPile<'_>]) -> (Vec<Notice>, Unnoticed) {
    let mut all: Vec<Notice> = Vec::new();
    let mut unnoticed = Unnoticed::default();
    for (at, pile) in piles.iter().enumerate() {
        let what = pile.after;
        if what.starts_with(NOBODY) || what.is_empty() {
            unnoticed.piles += 1;
            unnoticed.sum.add(pile.sum);
            continue;
        }
        let who = pile.account.unwrap_or(EVERYONE);
        let known = all.iter_mut().find(|known| known.what == what);
        let Some(known) = known else {
            all.push(Notice {
                class: pile.class,
                what: what.to_owned(),
                who: vec![who.to_owned()],
                because: vec![pile.title.to_owned()],
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
        add(|notice| &mut notice.because, pile.title);
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
