//! What the mouse points at, in words.

use jolly_core::decide::PileState;
use jolly_core::rule::Class;
use jolly_core::source::PileId;
use ratatui::layout::Rect;

use crate::tui::areas::{areas, first_row, list_room};
use crate::tui::columns::{self, Columns};
use crate::tui::model::{Model, Row, Weigh};
use crate::wording::{band_words, bytes, goes_words, state_words};

/// What stands at a cell of the screen, where it needs words.
pub(super) fn at(model: &Model, column: usize, row: u16) -> Option<String> {
    let (width, height) = model.size;
    let all = areas(Rect::new(0, 0, width, height));
    if row >= all.strip.y && row < all.strip.bottom() {
        let text = "The whole disk: what is kept, then hatched what is to be swept, then what is free, at the end what the file system reserves.";
        return Some(text.to_owned());
    }
    let weigh = model
        .weigh
        .as_ref()
        .filter(|weigh| weigh.inside.is_none())?;
    let has_class = !weigh.arranged.order.has_headings();
    let columns = Columns::fit(usize::from(width), has_class);
    let part = Part::at(&columns, column)?;
    let Some(offset) = row.checked_sub(all.work.y + 1) else {
        return (row == all.work.y).then(|| part.heading().to_owned());
    };
    let room = list_room(all.work);
    let offset = usize::from(offset);
    if offset >= room {
        return None;
    }
    let at = first_row(weigh.focus, weigh.rows.len(), room) + offset;
    match weigh.rows.get(at)? {
        Row::Heading(class) => heading(*class, part),
        Row::Pile(id) => Some(pile(weigh, *id, part)),
        Row::Small(class) => Some(format!("{} of {}", weigh.small_words(*class), class.name())),
        Row::Gap => None,
    }
}

/// A part of a row at weigh.
#[derive(Clone, Copy)]
enum Part {
    Mark,
    Class,
    /// Age bands: the first, and the one behind the last.
    Bands(usize, usize),
    Limit,
    Takes,
    Found,
    Items,
    Share,
}

impl Part {
    fn at(columns: &Columns, column: usize) -> Option<Self> {
        let takes = columns.takes_at();
        let found = takes + columns::SIZE;
        let items = found + if columns.has_found { columns::SIZE } else { 0 };
        Some(match column {
            0..=2 => Self::Mark,
            3..=4 if columns.has_class => Self::Class,
            _ if column < columns.bands_at() => return None,
            _ if column >= columns.share_at() => Self::Share,
            _ if column >= items => Self::Items,
            _ if column >= found => Self::Found,
            _ if column >= takes => Self::Takes,
            _ => match columns.bands_under(column) {
                Some((first, end)) => Self::Bands(first, end),
                None => Self::Limit,
            },
        })
    }

    fn heading(self) -> &'static str {
        match self {
            Self::Mark => "The mark of a row: taken, taken in part, left, or can't be taken now.",
            Self::Class => "The class: spent, regrows, felt or ask.",
            Self::Bands(..) => {
                "Ages from now to over five years: the higher a bar, the more of the row is of that age. Grey stays, colour goes."
            }
            Self::Limit => {
                "The age limit, which is the line between the bars: only what is older goes."
            }
            Self::Takes => "What goes of the row as things stand.",
            Self::Found => "What was found in all, young and old.",
            Self::Items => "How many files and entries were found.",
            Self::Share => {
                "Of all that goes, how much this row is; one scale for the whole screen."
            }
        }
    }
}

fn heading(class: Class, part: Part) -> Option<String> {
    let starts = if class.starts_taken() {
        "taken"
    } else {
        "left"
    };
    match part {
        Part::Mark => Some(format!(
            "{}: {}. Its rows start {starts}; what goes {}.",
            class.name(),
            class.meaning(),
            class.removal().words()
        )),
        Part::Share => Some("The share of this class of all that goes.".to_owned()),
        _ => None,
    }
}

fn pile(weigh: &Weigh, id: PileId, part: Part) -> String {
    let (scan, decisions) = (&weigh.scan, &weigh.decisions);
    let state = decisions.state(scan, id);
    let goes = goes_words(decisions.of(id).limit);
    match part {
        Part::Mark => match state {
            PileState::Taken | PileState::Part => {
                format!(
                    "{}: {goes} goes; space or a click leaves it.",
                    state_words(state)
                )
            }
            PileState::Left => "left: all of it stays; space or a click takes it.".to_owned(),
            PileState::Blocked => {
                let why = scan.pile(id).blocked.as_ref();
                let why = why.map_or_else(String::new, |why| format!(": it {why}"));
                format!("can't be taken now{why}")
            }
        },
        Part::Class => {
            let class = weigh.class_of(id);
            format!("{}: {}", class.name(), class.meaning())
        }
        Part::Bands(first, end) => {
            let bands = scan.pile(id).bands;
            let held: u64 = bands.get(first..end).unwrap_or_default().iter().sum();
            let ages = band_words(first, end);
            format!(
                "{} are {ages}; a click sets the age limit to the left edge of this bar.",
                bytes(held)
            )
        }
        Part::Limit => format!("Goes: {goes}; [ ] move the limit, = takes an exact age."),
        Part::Share => {
            let whole = decisions.takes_in_all().bytes;
            let takes = decisions.takes(id).bytes;
            let percent = u128::from(takes) * 100 / u128::from(whole.max(1));
            format!(
                "{percent} % of all that goes: {} of {}",
                bytes(takes),
                bytes(whole)
            )
        }
        Part::Takes | Part::Found | Part::Items => part.heading().to_owned(),
    }
}
