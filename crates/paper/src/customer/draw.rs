//! The customer's page on paper: ISO 216 A4, from the top down, on a second page where one isn't enough.

use jiff::tz::TimeZone;
use jolly_core::format::bytes;
use jolly_core::report::CustomerPage;

use crate::canvas::{Page, Style, share};
use crate::customer::{Header, Heading, Row, Section, heading, sections, words};
use crate::font::{cut, wrap, wrap_pieces};
use crate::palette;
use crate::sheet::{HEIGHT, LEFT, RIGHT, Sheet};

const TEXT: Style = Style::regular(10.0);
const DETAIL: Style = Style::quiet(8.5);
const TITLE: Style = Style::bold(12.0);

/// Width of the names of whom something concerns.
const WHO: f32 = 84.0;

/// Lines that one sentence takes at most.
const MOST_LINES: usize = 2;

pub(super) fn pages(page: &CustomerPage, header: &Header, zone: &TimeZone) -> Vec<Page> {
    let mut sheet = Sheet::new(header);
    draw_heading(&mut sheet, &heading(page, zone));
    draw_space(&mut sheet, page);
    for section in &sections(page, zone) {
        draw_section(&mut sheet, section);
    }
    let all = sheet.pages();
    let many = all.len();
    let numbered = (1..).zip(all);
    numbered
        .map(|(at, drawn)| footer(drawn, page, (at, many)))
        .collect()
}

fn draw_heading(sheet: &mut Sheet, heading: &Heading) {
    let top = sheet.top;
    let name = Style::bold(16.0);
    let says = Style::bold(26.0);
    let room = RIGHT - LEFT;
    let whose = cut(&heading.name, room, name.size, name.weight);
    let about = cut(&heading.about, room, DETAIL.size, DETAIL.weight);
    sheet.draw(|page| {
        page.rect((LEFT, top, room, 3.0), palette::STRAW, None)
            .text((LEFT, top + 30.0), name, &whose)
            .text((LEFT, top + 46.0), DETAIL, &about)
            .text((LEFT, top + 80.0), says, &heading.says)
    });
    sheet.top += 91.0;
    if let Some(caveat) = heading.caveat {
        let at = (LEFT, sheet.top + 8.0);
        sheet.draw(|page| page.text(at, TEXT, caveat));
        sheet.top += 16.0;
    }
}

/// The disk before and after: in use, come back, free.
fn draw_space(sheet: &mut Sheet, page: &CustomerPage) {
    let (Some(size), Some(after)) = (page.size, page.free_after) else {
        if let Some(after) = page.free_after {
            let (before, after) = (bytes(page.free_before), bytes(after));
            let says = format!("{before} {} → {after} {}", words::FREE, words::FREE);
            let at = (LEFT, sheet.top + 10.0);
            sheet.draw(|page| page.text(at, TEXT, &says));
            sheet.top += 24.0;
        }
        return;
    };
    let before = page.free_before.min(size);
    let after = after.min(size);
    let freed = after.saturating_sub(before);
    let wide = RIGHT - LEFT - 150.0;
    let part = |bytes: u64| wide * share(bytes, size);
    let rows = [
        (words::BEFORE, size - before, 0, before),
        (words::AFTER, size - after, freed, after - freed),
    ];
    for (name, used, freed, free) in rows {
        let (top, left) = (sheet.top, LEFT + 46.0);
        let (kept, back) = (part(used), part(freed));
        let figure = format!("{} {}", bytes(freed + free), words::FREE);
        let style = if freed > 0 { Style::bold(11.0) } else { TEXT };
        sheet.draw(|page| {
            page.text((LEFT, top + 12.5), DETAIL, name)
                .rect((left, top, kept, 18.0), palette::KEPT, Some(words::IN_USE))
                .rect(
                    (left + kept, top, back, 18.0),
                    palette::STRAW,
                    Some(words::CAME_BACK),
                )
                .frame((left, top, wide, 18.0), palette::FAINT)
                .text_end((RIGHT, top + 13.0), style, &figure)
        });
        sheet.top += 24.0;
    }
    let (top, left) = (sheet.top + 3.0, LEFT + 46.0);
    sheet.draw(|page| {
        let mut page = page;
        let mut at = left;
        for (colour, name) in [
            (palette::KEPT, words::IN_USE),
            (palette::STRAW, words::CAME_BACK),
            ("#ffffff", words::FREE),
        ] {
            page = page
                .rect((at, top, 8.0, 8.0), colour, None)
                .frame((at, top, 8.0, 8.0), palette::FAINT)
                .text((at + 12.0, top + 7.5), DETAIL, name);
            at += 12.0 + DETAIL.width(name) + 16.0;
        }
        page
    });
    sheet.top += 18.0;
}

fn draw_section(sheet: &mut Sheet, section: &Section) {
    // A title never stands alone at the foot of a page.
    sheet.make_room(22.0 + 34.0);
    let at = (LEFT, sheet.top + 18.0);
    sheet.draw(|page| page.text(at, TITLE, section.title));
    sheet.top += 26.0;
    for row in &section.rows {
        draw_row(sheet, row);
    }
    sheet.top += 6.0;
}

fn draw_row(sheet: &mut Sheet, row: &Row) {
    const LINE: f32 = 13.0;
    const BAR: f32 = 150.0;
    let room = RIGHT - LEFT;
    let figure = TEXT.width(&row.figure);
    let bar = if row.bar.is_some() { BAR + 14.0 } else { 0.0 };
    let beside = room - figure.max(60.0) - 12.0 - bar;
    let has_figure = !row.figure.is_empty();
    let says_room = if has_figure { beside } else { room };
    let who = if row.is_someones { WHO } else { 0.0 };
    let says_room = says_room - who;
    let says = wrap(&row.says, says_room, (TEXT.size, TEXT.weight), MOST_LINES);
    let detail: Vec<&str> = row.detail.iter().map(String::as_str).collect();
    let font = (DETAIL.size, DETAIL.weight);
    let detail = wrap_pieces(&detail, "  ·  ", room - 76.0, font, 2);
    let high = LINE * says.len() as f32 + 11.5 * detail.len() as f32 + 2.5;
    sheet.make_room(high);
    let top = sheet.top;
    sheet.draw(|page| {
        let mut page = page;
        if let Some((class, part)) = row.bar {
            let left = RIGHT - 68.0 - BAR;
            let colour = palette::of_class(class);
            page = page
                .rect((left, top + 2.0, BAR, 8.0), "#f0f1f3", None)
                .rect(
                    (left, top + 2.0, BAR * part, 8.0),
                    colour,
                    Some(&row.figure),
                );
        }
        if has_figure {
            let style = Style::bold(10.0);
            page = page.text_end((RIGHT, top + 10.0), style, &row.figure);
        }
        let name = Style::bold(10.0);
        page = page.text(
            (LEFT, top + 10.0),
            name,
            &cut(&row.who, WHO - 8.0, 10.0, name.weight),
        );
        for (at, line) in (0_u8..).zip(&says) {
            page = page.text((LEFT + who, top + 10.0 + LINE * f32::from(at)), TEXT, line);
        }
        let below = top + 10.0 + LINE * says.len() as f32 - 1.5;
        for (at, line) in (0_u8..).zip(&detail) {
            page = page.text((LEFT, below + 11.5 * f32::from(at)), DETAIL, line);
        }
        page
    });
    sheet.top += high;
}

fn footer(drawn: Page, page: &CustomerPage, (at, many): (usize, usize)) -> Page {
    let top = HEIGHT - 40.0;
    let record = format!("{} {}.", words::RECORD, page.run);
    let number = format!("{} {at} {} {many}", words::PAGE, words::OF);
    drawn
        .line(
            (LEFT, top - 14.0),
            (RIGHT, top - 14.0),
            palette::FAINT,
            0.75,
        )
        .text((LEFT, top), DETAIL, &record)
        .text_end((RIGHT, top), DETAIL, &number)
}
