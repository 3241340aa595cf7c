//! The picture of where the space is: shelves, each as wide as what it holds, a row a level, paler the longer nobody used it.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::format::bytes;
use jolly_core::survey::Whole;

use crate::canvas::{Page, Style};
use crate::font::{Weight, cut};
use crate::palette;

/// What is drawn.
#[derive(Clone, Debug)]
pub struct SpacePicture<'a> {
    /// Whose computer it is.
    pub name: &'a str,
    /// Where the first shelf lies.
    pub place: &'a str,
    /// When it was looked at.
    pub when: Timestamp,
    /// The zone of the day that is written.
    pub zone: &'a TimeZone,
    /// Everything on its shelf.
    pub shelves: &'a [DrawnShelf],
    /// How many levels they have.
    pub levels: usize,
    /// How all of it adds up, where the whole target is shown.
    pub whole: Option<Whole>,
}

/// One part as it is drawn.
#[derive(Clone, Debug)]
pub struct DrawnShelf {
    /// What it is called.
    pub name: String,
    /// How many levels it lies below the first.
    pub level: usize,
    /// Where it begins and ends, of [`SHELF_WIDTH`].
    pub from: u64,
    /// Where it ends.
    pub to: u64,
    /// What it holds.
    pub bytes: u64,
    /// How long nobody used it: a position in [`SHADE_NAMES`].
    pub shade: usize,
}

/// How wide the first shelf is, in the units of the others.
pub const SHELF_WIDTH: u64 = 7_600;

/// The narrowest that is worth drawing, in the same units.
pub const NARROWEST: u64 = 12;

/// How long nobody used what has a shade.
pub const SHADE_NAMES: [&str; 5] = [
    "used this month",
    "within 3 months",
    "within a year",
    "within 3 years",
    "longer ago",
];

/// The shades, from what is used to what nobody remembers.
const SHADES: [&str; 5] = ["#4d6a8c", "#7d96b2", "#adc0d3", "#d3dde7", "#eeede6"];

const WIDTH: f32 = 841.89;
const LEFT: f32 = 40.0;
const RIGHT: f32 = WIDTH - 40.0;
const UNIT: f32 = (RIGHT - LEFT) / SHELF_WIDTH as f32;
const ROW: f32 = 30.0;
const TOP: f32 = 96.0;

/// Draws it on one page that is as high as it needs.
pub fn page(picture: &SpacePicture<'_>) -> Page {
    let high = TOP + ROW * picture.levels as f32 + 84.0;
    let day = picture.when.to_zoned(picture.zone.clone());
    let held = picture.shelves.first().map_or(0, |shelf| shelf.bytes);
    let about = format!(
        "{}  ·  {} holds {}  ·  width is bytes, a row a level; paler is longer unused",
        day.strftime("%-d %B %Y"),
        picture.place,
        bytes(held)
    );
    let mut page = Page::new(WIDTH, high)
        .rect((LEFT, 36.0, RIGHT - LEFT, 3.0), palette::STRAW, None)
        .text((LEFT, 62.0), Style::bold(15.0), picture.name)
        .text((LEFT, 77.0), Style::quiet(8.0), &about);
    for shelf in picture.shelves {
        page = draw(page, shelf);
    }
    let foot = TOP + ROW * picture.levels as f32 + 18.0;
    page = legend(page, foot);
    match picture.whole {
        Some(whole) => sums(page, &whole, foot + 26.0),
        None => page,
    }
}

fn draw(page: Page, shelf: &DrawnShelf) -> Page {
    const PADDING: f32 = 4.0;
    let left = LEFT + shelf.from as f32 * UNIT;
    let wide = (shelf.to - shelf.from) as f32 * UNIT;
    let top = TOP + ROW * shelf.level as f32;
    let shade = SHADES.get(shelf.shade).copied().unwrap_or(palette::FAINT);
    let title = format!("{}: {}", shelf.name, bytes(shelf.bytes));
    let area = (left, top, wide - 0.6, ROW - 1.5);
    let page = page
        .rect(area, shade, Some(&title))
        .frame(area, palette::FAINT);
    let room = wide - 2.0 * PADDING;
    let colour = if shelf.shade == 0 {
        "#ffffff"
    } else {
        palette::INK
    };
    let name = Style {
        colour,
        ..Style::regular(8.0)
    };
    let figure = Style {
        colour,
        ..Style::regular(7.0)
    };
    if room < 14.0 {
        return page;
    }
    let text = cut(&shelf.name, room, name.size, Weight::Regular);
    let page = page.text((left + PADDING, top + 12.0), name, &text);
    let size = bytes(shelf.bytes);
    if figure.width(&size) <= room {
        page.text((left + PADDING, top + 23.0), figure, &size)
    } else {
        page
    }
}

fn legend(mut page: Page, line: f32) -> Page {
    let style = Style::quiet(8.0);
    let mut left = LEFT;
    for (name, shade) in SHADE_NAMES.iter().zip(SHADES) {
        let area = (left, line - 7.5, 12.0, 9.0);
        page = page
            .rect(area, shade, None)
            .frame(area, palette::FAINT)
            .text((left + 16.0, line), style, name);
        left += style.width(name) + 34.0;
    }
    page
}

/// How what was counted adds up to the volume.
fn sums(page: Page, whole: &Whole, line: f32) -> Page {
    let mut parts = vec![format!("{} counted", bytes(whole.counted))];
    let mut add = |held: u64, what: &str| {
        if held > 0 {
            parts.push(format!("{} {what}", bytes(held)));
        }
    };
    add(whole.snapshots, "in snapshots alone, at least");
    add(whole.unexplained, "not explained by files");
    add(whole.reserved, "reserved by the file system");
    add(whole.free, "free");
    let says = format!("{} in all: {}", bytes(whole.size()), parts.join(" + "));
    let says = if whole.shared > 0 {
        format!("{says} − {} that files share", bytes(whole.shared))
    } else {
        says
    };
    page.text((LEFT, line), Style::regular(9.0), &says)
}
