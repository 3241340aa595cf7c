//! The ages picture: every pile by age, with its cut line, and what goes.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::format::bytes;
use jolly_core::report::AgesRow;
use jolly_core::rule::{AgeLimit, BAND_COUNT, BAND_EDGES, BAND_NAMES, Class};

use crate::canvas::{Page, Style, share, total};
use crate::font::{Weight, cut};
use crate::palette;

/// What is drawn.
#[derive(Clone, Debug)]
pub struct AgesPicture<'a> {
    /// Whose computer it is.
    pub name: &'a str,
    /// When it was scanned.
    pub when: Timestamp,
    /// The zone of the day that is written.
    pub zone: &'a TimeZone,
    /// The piles, by class.
    pub rows: &'a [AgesRow],
}

const WIDTH: f32 = 841.89;
const LEFT: f32 = 40.0;
const RIGHT: f32 = WIDTH - 40.0;
const TITLES: f32 = 176.0;
const BARS: f32 = LEFT + 250.0;
const BAND: f32 = 25.0;
const LIMIT: f32 = BARS + BAND * BAND_COUNT as f32 + 10.0;
const TAKES: f32 = RIGHT - 62.0;
const ROW: f32 = 24.0;
const BAR: f32 = 16.0;

const TEXT: Style = Style::regular(9.0);
const QUIET: Style = Style::quiet(8.0);

/// Draws it on one page that is as high as it needs.
pub fn page(picture: &AgesPicture<'_>) -> Page {
    let classes = Class::ALL.map(|class| {
        let own = picture.rows.iter().filter(move |row| row.class == class);
        (class, own.collect::<Vec<_>>())
    });
    let filled = classes.iter().filter(|(_, rows)| !rows.is_empty()).count();
    let high = 130.0 + ROW * picture.rows.len() as f32 + 26.0 * filled as f32;
    let found = total(picture.rows.iter().map(|row| row.found));
    let takes = total(picture.rows.iter().map(|row| row.takes));
    let day = picture.when.to_zoned(picture.zone.clone());
    let about = format!(
        "{}  ·  {} to sweep of {} found  ·  grey stays, colour goes",
        day.strftime("%-d %B %Y"),
        bytes(takes),
        bytes(found)
    );
    let mut page = Page::new(WIDTH, high)
        .rect((LEFT, 36.0, RIGHT - LEFT, 3.0), palette::STRAW, None)
        .text((LEFT, 62.0), Style::bold(15.0), picture.name)
        .text((LEFT, 77.0), QUIET, &about);
    page = heads(page, 98.0);
    let mut top = 104.0;
    for (class, rows) in &classes {
        if rows.is_empty() {
            continue;
        }
        let says = format!("{}: {}", class_name(*class), class.meaning());
        page = page
            .rect((LEFT, top + 8.0, 8.0, 8.0), palette::of_class(*class), None)
            .text((LEFT + 13.0, top + 15.5), Style::bold(9.5), &says);
        top += 26.0;
        for row in rows {
            page = draw_row(page, row, top);
            top += ROW;
        }
    }
    page
}

fn class_name(class: Class) -> &'static str {
    match class {
        Class::Spent => "Spent",
        Class::Regrows => "Regrows",
        Class::Felt => "Felt",
        Class::Ask => "Ask",
    }
}

fn heads(mut page: Page, line: f32) -> Page {
    for (name, at) in BAND_NAMES.iter().zip(0_u8..) {
        let middle = BARS + BAND * (f32::from(at) + 0.5);
        page = page.text_middle((middle, line), QUIET, name);
    }
    page.text((LIMIT, line), QUIET, "older than")
        .text_end((TAKES, line), QUIET, "takes")
        .text_end((RIGHT, line), QUIET, "of")
}

fn draw_row(mut page: Page, row: &AgesRow, top: f32) -> Page {
    let foot = top + BAR + 2.0;
    let title = cut(&row.title, TITLES, TEXT.size, Weight::Regular);
    let account = row.account.as_deref().unwrap_or("system");
    let account = cut(
        account,
        BARS - LEFT - TITLES - 14.0,
        QUIET.size,
        Weight::Regular,
    );
    page = page.text((LEFT, foot - 3.0), TEXT, &title).text(
        (LEFT + TITLES + 8.0, foot - 3.0),
        QUIET,
        &account,
    );
    let tallest = row.bands.iter().copied().max().unwrap_or(0);
    let cut_at = row.limit.map_or(0, AgeLimit::as_seconds);
    for ((held, edge), at) in row.bands.iter().zip(BAND_EDGES).zip(0_u8..) {
        let left = BARS + BAND * f32::from(at);
        let high = BAR * share(*held, tallest);
        let goes = row.is_taken && edge >= cut_at;
        let colour = if goes {
            palette::of_class(row.class)
        } else {
            palette::KEPT
        };
        page = page.line(
            (left + 1.5, foot),
            (left + BAND - 1.5, foot),
            palette::FAINT,
            0.5,
        );
        if *held > 0 {
            let title = format!("{}: {}", BAND_NAMES[usize::from(at)], bytes(*held));
            let area = (left + 1.5, foot - high, BAND - 3.0, high);
            page = page.rect(area, colour, Some(&title));
        }
    }
    if row.is_taken {
        let at = place_of(cut_at);
        page = page.line((at, top - 1.0), (at, foot + 2.0), palette::STRAW, 1.5);
    }
    let limit = match (row.is_taken, row.limit) {
        (false, _) => "left".to_owned(),
        (true, None) => "any age".to_owned(),
        (true, Some(limit)) => limit.to_string(),
    };
    let takes = match row.takes {
        0 => ("–".to_owned(), QUIET),
        bytes_of_it => (bytes(bytes_of_it), Style::bold(9.0)),
    };
    page.text((LIMIT, foot - 3.0), QUIET, &limit)
        .text_end((TAKES, foot - 3.0), takes.1, &takes.0)
        .text_end((RIGHT, foot - 3.0), QUIET, &bytes(row.found))
}

/// Where an age lies between the edges of its band.
fn place_of(age: u64) -> f32 {
    let at = BAND_EDGES.partition_point(|edge| *edge <= age).max(1) - 1;
    let young = BAND_EDGES.get(at).copied().unwrap_or(0);
    let inside = BAND_EDGES
        .get(at + 1)
        .map_or(0.0, |old| share(age - young, old - young));
    BARS + BAND * (at as f32 + inside)
}
