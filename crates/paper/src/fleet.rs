//! Many computers on one page: who is full, what grows, who failed, who is next.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::format::{bytes, count, counted};
use jolly_core::report::{Fleet, FleetComputer};

use crate::Page;
use crate::canvas::Style;
use crate::customer::Header;
use crate::font::cut;
use crate::palette;
use crate::sheet::{LEFT, RIGHT, Sheet};

/// A part of the page.
#[derive(Clone, Debug)]
pub struct FleetSection {
    /// What it shows.
    pub title: String,
    /// Its rows; those that have no room are one.
    pub rows: Vec<FleetRow>,
}

/// A row: a computer, what is said of it, its figure.
#[derive(Clone, Debug)]
pub struct FleetRow {
    /// What people call it.
    pub name: String,
    /// What is said of it.
    pub says: String,
    /// The figure.
    pub figure: String,
    /// The part of its volume that is used, where that is shown.
    pub used: Option<f32>,
}

/// Rows of a section that have room.
const MOST_ROWS: usize = 8;

/// What stands on the page.
pub fn sections(fleet: &Fleet, now: Timestamp, zone: &TimeZone) -> Vec<FleetSection> {
    let day = |when: Option<Timestamp>| {
        let day = when.map(|when| {
            when.to_zoned(zone.clone())
                .strftime("%-d %b %Y")
                .to_string()
        });
        day.unwrap_or_else(|| "never".to_owned())
    };
    let seen = |one: &FleetComputer| format!("visited {}", day(one.last_visit));
    let full = |one: &FleetComputer| FleetRow {
        says: format!("of {}, {}", bytes(one.size), seen(one)),
        figure: format!("{} free, {} %", bytes(one.free), one.free_per_mille() / 10),
        used: Some(1.0 - one.free_per_mille() as f32 / 1000.0),
        ..named(one)
    };
    let growing = |one: &FleetComputer| {
        let most = one.fastest.as_ref().map(|title| format!("most by {title}"));
        let falls = one.falls.filter(|falls| *falls > now);
        let falls = falls.map(|falls| format!("little free from {}", day(Some(falls))));
        let says: Vec<String> = most.into_iter().chain(falls).collect();
        let weekly = one.weekly.unwrap_or(0).unsigned_abs();
        FleetRow {
            says: says.join(", "),
            figure: format!("{} a week", bytes(weekly)),
            ..named(one)
        }
    };
    let failed = |one: &FleetComputer| FleetRow {
        says: one.failed.clone().unwrap_or_default(),
        figure: day(one.last_visit),
        ..named(one)
    };
    let next = |one: &FleetComputer| {
        let is_due = one.next_visit.is_some_and(|next| next <= now);
        FleetRow {
            says: seen(one),
            figure: if is_due {
                "now".to_owned()
            } else {
                day(one.next_visit)
            },
            ..named(one)
        }
    };
    let unread = fleet.unread.iter().map(|file| FleetRow {
        name: file.file.clone(),
        says: file.reason.clone(),
        figure: "not read".to_owned(),
        used: None,
    });
    let failures: Vec<FleetRow> = unread
        .chain(fleet.failed().into_iter().map(failed))
        .collect();
    vec![
        section(
            &format!("Less than {} free", fleet.little),
            fleet.full().into_iter().map(full).collect(),
        ),
        section(
            "Fills fastest",
            fleet.growing().into_iter().map(growing).collect(),
        ),
        section("Failed", failures),
        section(
            "Next visits",
            fleet.next_visits().into_iter().map(next).collect(),
        ),
    ]
}

fn named(one: &FleetComputer) -> FleetRow {
    FleetRow {
        name: one.name.clone(),
        says: String::new(),
        figure: String::new(),
        used: None,
    }
}

fn section(title: &str, mut rows: Vec<FleetRow>) -> FleetSection {
    let many = rows.len();
    let title = format!(
        "{title}: {}",
        if many == 0 {
            "none".to_owned()
        } else {
            count(many as u64)
        }
    );
    if many > MOST_ROWS {
        rows.truncate(MOST_ROWS - 1);
        rows.push(FleetRow {
            name: format!("{} more", count((many - rows.len()) as u64)),
            says: "the table (.csv) and the object (.json) have all".to_owned(),
            figure: String::new(),
            used: None,
        });
    }
    FleetSection { title, rows }
}

/// How many computers there are, in a line.
pub fn heading(fleet: &Fleet, now: Timestamp, zone: &TimeZone) -> String {
    let many = counted(fleet.computers.len() as u64, "computer");
    let day = now.to_zoned(zone.clone());
    format!("{many}, {}", day.strftime("%-d %B %Y"))
}

const TEXT: Style = Style::regular(9.5);
const QUIET: Style = Style::quiet(8.5);

/// Draws it on one sheet of A4.
pub fn pages(fleet: &Fleet, header: &Header, (now, zone): (Timestamp, &TimeZone)) -> Vec<Page> {
    const ROW: f32 = 16.0;
    const NAMES: f32 = 150.0;
    const BAR: f32 = 70.0;
    let mut sheet = Sheet::new(header);
    let top = sheet.top;
    let name = Style::bold(16.0);
    sheet.draw(|page| {
        page.rect((LEFT, top, RIGHT - LEFT, 3.0), palette::STRAW, None)
            .text((LEFT, top + 26.0), name, &heading(fleet, now, zone))
    });
    sheet.top += 38.0;
    for section in sections(fleet, now, zone) {
        let top = sheet.top + 14.0;
        sheet.draw(|page| page.text((LEFT, top), Style::bold(11.0), &section.title));
        sheet.top += 20.0;
        for row in &section.rows {
            let line = sheet.top + 12.0;
            let mut left = LEFT + NAMES + 10.0;
            if let Some(used) = row.used {
                let (at, top) = (left, sheet.top + 4.5);
                sheet.draw(|page| {
                    page.rect((at, top, BAR, 8.0), palette::FAINT, None).rect(
                        (at, top, BAR * used.clamp(0.0, 1.0), 8.0),
                        palette::KEPT,
                        None,
                    )
                });
                left += BAR + 10.0;
            }
            let room = RIGHT - left - TEXT.width(&row.figure) - 12.0;
            let called = cut(&row.name, NAMES, TEXT.size, TEXT.weight);
            let says = cut(&row.says, room.max(0.0), QUIET.size, QUIET.weight);
            sheet.draw(|page| {
                page.text((LEFT, line), TEXT, &called)
                    .text((left, line), QUIET, &says)
                    .text_end((RIGHT, line), TEXT, &row.figure)
            });
            sheet.top += ROW;
        }
        sheet.top += 10.0;
    }
    sheet.pages()
}
