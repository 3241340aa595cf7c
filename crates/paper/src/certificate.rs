//! The certificate of something that was written over: what it was, how, what came of it, and what nobody can promise.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::format::{bytes, count};
use jolly_core::wiping::{Fill, WipeLog, WipeState};

use crate::Page;
use crate::canvas::Style;
use crate::customer::Header;
use crate::font::{cut, wrap};
use crate::palette;
use crate::sheet::{HEIGHT, LEFT, RIGHT, Sheet};

const TEXT: Style = Style::regular(10.0);
const QUIET: Style = Style::quiet(8.5);

/// Width of the names of facts, and height of a line.
const ABOUT: f32 = 132.0;
const LINE: f32 = 14.0;

/// What the certificate says above all, in few words.
pub fn verdict(log: &WipeLog) -> &'static str {
    match log.end.state {
        WipeState::Finished if log.end.is_proven() => "Written over, and read back",
        WipeState::Finished => "Written over, but not proven",
        WipeState::Stopped => "Stopped before its end",
        WipeState::Failed => "Not done",
        WipeState::Interrupted => "It broke off",
    }
}

/// What was written over, in words.
pub fn subject(log: &WipeLog) -> String {
    let what = match &*log.what {
        "free" => "What is free at",
        "image" => "The image",
        _ => "The disk",
    };
    format!("{what} {}", log.path)
}

/// Every fact, with its name.
pub fn facts(log: &WipeLog, zone: &TimeZone) -> Vec<(&'static str, String)> {
    let is_free = log.what == "free";
    let mut all = Vec::new();
    if !log.model.is_empty() {
        all.push((if is_free { "lies on" } else { "model" }, log.model.clone()));
    }
    if log.what == "disk" {
        let serial = log.serial.clone();
        let serial = serial.unwrap_or_else(|| "it has none".to_owned());
        all.push(("serial number", serial));
    }
    all.push((
        if is_free { "free before" } else { "size" },
        exact(log.size),
    ));
    let with = match log.fill {
        Fill::Random => "random bytes",
        Fill::Zeros => "zeros",
    };
    let passes = match log.passes {
        1 => "once".to_owned(),
        many => format!("{} times", count(many)),
    };
    all.push(("written over", format!("{passes}, with {with}")));
    all.push(("begun", moment(log.started, zone)));
    let ended = log.ended.map(|ended| moment(ended, zone));
    all.push(("ended", ended.unwrap_or_else(|| "not known".to_owned())));
    all.extend(came_of_it(log));
    all
}

fn came_of_it(log: &WipeLog) -> Vec<(&'static str, String)> {
    let end = &log.end;
    let mut all = vec![
        ("written", exact(end.written)),
        ("read back, the same", exact(end.verified)),
    ];
    for (name, many) in [
        ("read back, different", end.differs),
        ("refused by the disk", end.refused),
        ("holes of the image", end.holes),
        ("free, not reached", end.unreached),
    ] {
        if many > 0 {
            all.push((name, exact(many)));
        }
    }
    all.extend(
        end.trimmed
            .clone()
            .map(|trimmed| ("told to be empty", trimmed)),
    );
    if !end.reason.is_empty() {
        all.push(("why it ended", end.reason.clone()));
    }
    all
}

fn exact(many: u64) -> String {
    format!("{} ({} bytes)", bytes(many), count(many))
}

fn moment(when: Timestamp, zone: &TimeZone) -> String {
    let when = when.to_zoned(zone.clone());
    when.strftime("%-d %B %Y, %H:%M:%S %Z").to_string()
}

/// The certificate, drawn on A4.
pub fn pages(log: &WipeLog, header: &Header, zone: &TimeZone) -> Vec<Page> {
    let mut sheet = Sheet::new(header);
    let (top, room) = (sheet.top, RIGHT - LEFT);
    let name = Style::bold(16.0);
    let whose = cut(&subject(log), room, name.size, name.weight);
    sheet.draw(|page| {
        page.rect((LEFT, top, room, 3.0), palette::STRAW, None)
            .text((LEFT, top + 22.0), QUIET, "Certificate of wiping")
            .text((LEFT, top + 46.0), name, &whose)
            .text((LEFT, top + 82.0), Style::bold(24.0), verdict(log))
    });
    sheet.top += 104.0;
    for (name, says) in facts(log, zone) {
        let at = sheet.top + 10.0;
        paragraph(&mut sheet, &says, LEFT + ABOUT);
        sheet.draw(|page| page.text((LEFT, at), QUIET, name));
    }
    if !log.told.is_empty() {
        sheet.top += 14.0;
        sheet.make_room(60.0);
        let at = (LEFT, sheet.top + 12.0);
        sheet.draw(|page| page.text(at, Style::bold(12.0), "What may still be there"));
        sheet.top += 22.0;
    }
    for told in &log.told {
        paragraph(&mut sheet, told, LEFT);
    }
    signatures(&mut sheet);
    let record = format!(
        "On record as {}; log verify says whether it is as it was written.",
        log.run
    );
    sheet.draw(|page| page.text((LEFT, HEIGHT - 40.0), QUIET, &record));
    sheet.pages()
}

/// Text from there to the right edge, in as many lines as it takes.
fn paragraph(sheet: &mut Sheet, text: &str, left: f32) {
    let lines = wrap(text, RIGHT - left, (TEXT.size, TEXT.weight), 4);
    let high = LINE * lines.len() as f32 + 4.0;
    sheet.make_room(high);
    let top = sheet.top + 10.0;
    sheet.draw(|page| {
        (0_u8..).zip(&lines).fold(page, |page, (at, line)| {
            page.text((left, top + LINE * f32::from(at)), TEXT, line)
        })
    });
    sheet.top += high;
}

/// Where who did it and who gets it put their names.
fn signatures(sheet: &mut Sheet) {
    const WIDE: f32 = 200.0;
    sheet.top += 44.0;
    sheet.make_room(30.0);
    let top = sheet.top;
    let places = [(LEFT, "technician, day"), (RIGHT - WIDE, "customer, day")];
    sheet.draw(|page| {
        places.into_iter().fold(page, |page, (left, says)| {
            page.line((left, top), (left + WIDE, top), palette::FAINT, 0.75)
                .text((left, top + 12.0), QUIET, says)
        })
    });
    sheet.top += 20.0;
}
