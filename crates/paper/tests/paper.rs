//! What is printed can be read back: text from PDF, shapes from SVG, and their sizes are the numbers.

#![allow(
    clippy::unwrap_used,
    clippy::panic,
    clippy::too_many_lines,
    reason = "a test that can't go on says so, and tells its story in one piece"
)]

use std::process::Command;

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::pile::Sum;
use jolly_core::plan::Outcome;
use jolly_core::report::{
    AgesRow, CustomerPage, Forecast, LeftPile, LittleFree, Regrown, Regrowth, WentOfClass,
};
use jolly_core::rule::{AgeLimit, BAND_COUNT, Class};
use jolly_core::run::LogState;
use jolly_core::state::{Noticed, RunId, Visit, VisitRun};
use jolly_paper::ages::AgesPicture;
use jolly_paper::customer::Header;
use jolly_paper::picture::{Picture, PictureError};
use jolly_paper::regrowth::RegrowthChart;
use jolly_paper::{PaperForm, ages, customer, pdf, regrowth, svg};
use proptest::prelude::*;

const GIB: u64 = 1 << 30;

fn at(day: i64) -> Timestamp {
    Timestamp::from_second(1_790_000_000 + day * 86_400).unwrap()
}

fn sum(items: u64, bytes: u64) -> Sum {
    Sum { items, bytes }
}

/// A visit at the till, after which something of everything is to be said.
fn page() -> CustomerPage {
    let kind = |title: &str, bytes| (title.to_owned(), sum(3, bytes));
    let class = |class, bytes, kinds: &[(String, Sum)]| WentOfClass {
        class,
        sum: sum(6, bytes),
        kinds: kinds.to_vec(),
    };
    CustomerPage {
        run: RunId::new(at(0), 7),
        name: "Otter Quay Boat Hire".to_owned(),
        label: "till computer".to_owned(),
        system: Some("Quay 12".to_owned()),
        visit: Some(3),
        when: at(0),
        state: LogState::Finished,
        size: Some(200 * GIB),
        free_before: 22 * GIB,
        free_after: Some(60 * GIB),
        removed: sum(281_340, 30 * GIB),
        set_aside: sum(1_204, 8 * GIB),
        shared: sum(214, 3 * GIB),
        until: Some(at(30)),
        went: vec![
            class(
                Class::Spent,
                20 * GIB,
                &[kind("Temporary folder", 20 * GIB)],
            ),
            class(Class::Regrows, 10 * GIB, &[kind("Thumbnails", 10 * GIB)]),
            class(Class::Ask, 8 * GIB, &[kind("Trash", 8 * GIB)]),
        ],
        stayed: vec![(Outcome::InUse, sum(32, GIB))],
        left: vec![LeftPile {
            title: "Installers".to_owned(),
            account: Some("joss".to_owned()),
            class: Some(Class::Ask),
            is_blocked: false,
            bytes: 4 * GIB,
        }],
        spared: GIB / 2,
        noticed: vec![Noticed {
            who: vec!["pia".to_owned()],
            what: "Folders of pictures open slower the first time.".to_owned(),
        }],
        turned_off: vec![
            ("Gullmail notifier".to_owned(), Some("joss".to_owned())),
            ("Gullmail notifier".to_owned(), None),
        ],
        advice: vec![
            "Home of wren unused for 3 years. An unused home can be set aside.".to_owned(),
        ],
        next_visit: Some(at(200)),
    }
}

/// What a tool of poppler prints about a PDF; nothing where it isn't there.
fn told_by(tool: &str, options: &[&str], pdf: &[u8]) -> Option<String> {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), pdf).unwrap();
    let mut command = Command::new(tool);
    command.args(options).arg(file.path());
    if tool == "pdftotext" {
        command.arg("-");
    }
    let Ok(output) = command.output() else {
        jolly_demo::skipped(&format!("no {tool} reads PDF here"));
        return None;
    };
    assert!(output.status.success(), "{output:?}");
    Some(String::from_utf8(output.stdout).unwrap())
}

/// The width and height of each rectangle of a colour, as an SVG document has them.
fn rectangles(document: &str, colour: &str) -> Vec<(f64, f64)> {
    let mut reader = quick_xml::Reader::from_str(document);
    let mut found = Vec::new();
    loop {
        let event = reader.read_event().unwrap();
        let element = match &event {
            quick_xml::events::Event::Eof => return found,
            quick_xml::events::Event::Start(element) | quick_xml::events::Event::Empty(element) => {
                element
            }
            _ => continue,
        };
        if element.name().as_ref() != "rect" {
            continue;
        }
        let value = |name: &str| {
            let value = element.try_get_attribute(name).unwrap()?;
            Some(value.value.into_owned())
        };
        if value("fill").as_deref() == Some(colour) {
            let number = |name| value(name).unwrap().parse::<f64>().unwrap();
            found.push((number("width"), number("height")));
        }
    }
}

#[test]
fn the_customers_page_says_everything_in_text_that_can_be_selected() {
    let pages = customer::pages(&page(), &Header::default(), &TimeZone::UTC);
    let written = pdf(&pages, "page").unwrap();
    let again = customer::pages(&page(), &Header::default(), &TimeZone::UTC);
    assert_eq!(written, pdf(&again, "page").unwrap());
    let Some(text) = told_by("pdftotext", &["-layout"], &written) else {
        return;
    };
    for said in [
        "Otter Quay Boat Hire",
        "till computer",
        "Quay 12",
        "visit 3",
        "21 September 2026",
        "38.0 GiB came back",
        "22.0 GiB free",
        "60.0 GiB free",
        "Temporary folder 20.0 GiB",
        "Folders of pictures open slower the first time.",
        "32 items: in use by a program",
        "Installers (joss): left, it may be somebody's own",
        "Home of wren unused for 3 years",
        "Gullmail notifier (joss, everyone)",
        "little space will be free by April 2027",
        "can be brought back until 21 October 2026",
        "page 1 of 1",
    ] {
        assert!(text.contains(said), "{said}: {text}");
    }
    // What was somebody's own went, so nothing is promised about it.
    assert!(!text.contains("were not touched"), "{text}");
    let fonts = told_by("pdffonts", &[], &written).unwrap();
    let fonts: Vec<&str> = fonts.lines().skip(2).collect();
    assert_eq!(fonts.len(), 2, "{fonts:?}");
    // Embedded, a subset, with the letters that its glyphs stand for.
    let is_whole = |line: &&str| line.contains("IBMPlexSans") && line.contains("yes yes yes");
    assert!(fonts.iter().all(is_whole), "{fonts:?}");
}

#[test]
fn the_bars_of_the_page_add_up_to_what_went() {
    let written = svg(
        &customer::pages(&page(), &Header::default(), &TimeZone::UTC),
        "page",
    );
    let of = |colour: &str| -> f64 {
        let widths = rectangles(&written, colour);
        widths.iter().map(|(width, _)| width).sum()
    };
    // The grounds of the bars: each is as wide as all that went.
    let whole = of("#f0f1f3") / 3.0;
    let classes = [("#6cb8a6", 20.0), ("#7aa2dc", 10.0), ("#dd8a5f", 8.0)];
    for (colour, part) in classes {
        assert!((of(colour) - whole * part / 38.0).abs() < 0.02, "{colour}");
    }
    let all: f64 = classes.iter().map(|(colour, _)| of(colour)).sum();
    assert!((all - whole).abs() < 0.05);
    // In use before; in use now and what came back.
    let kept = rectangles(&written, "#c3c8ce");
    let came_back = rectangles(&written, "#e6b450");
    let widest = |all: &[(f64, f64)]| {
        all.iter()
            .filter(|it| (it.1 - 18.0).abs() < 0.01)
            .map(|it| it.0)
            .sum::<f64>()
    };
    let (kept, back) = (widest(&kept), widest(&came_back));
    assert!((back / (kept + back) - 38.0 / (178.0 + 140.0 + 38.0)).abs() < 0.001);
}

/// As much as there can be, of any names: two pages, and every one can be drawn and read.
#[test]
fn the_longest_page_is_two_pages() {
    let long = "A very long name of something that nobody would call so ".repeat(9);
    let mut full = page();
    full.name.clone_from(&long);
    full.system = Some(long.clone());
    let kinds: Vec<(String, Sum)> = (0..40)
        .map(|at| (format!("{long}{at}"), sum(1, GIB)))
        .collect();
    full.went = Class::ALL
        .map(|class| WentOfClass {
            class,
            sum: sum(40, 40 * GIB),
            kinds: kinds.clone(),
        })
        .to_vec();
    full.noticed = (0..40)
        .map(|at| Noticed {
            who: vec![format!("{at}{long}")],
            what: long.clone(),
        })
        .collect();
    full.advice = vec![long.clone(); 40];
    full.turned_off = (0..40)
        .map(|at| (format!("{at}{long}"), Some(long.clone())))
        .collect();
    full.stayed = Outcome::ALL
        .into_iter()
        .filter(|it| it.stays())
        .map(|it| (it, sum(9, GIB)))
        .collect();
    full.left = vec![
        LeftPile {
            title: long.clone(),
            account: Some(long.clone()),
            class: None,
            is_blocked: true,
            bytes: u64::MAX,
        };
        40
    ];
    let header = Header {
        name: long.clone(),
        lines: vec![long; 9],
        picture: Some(Picture::read(&picture(40, 900)).unwrap()),
    };
    let pages = customer::pages(&full, &header, &TimeZone::UTC);
    assert_eq!(pages.len(), 2);
    assert!(!pdf(&pages, "long").unwrap().is_empty());
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None, ..ProptestConfig::default() })]

    /// Names of files, accounts and shops are anything at all.
    #[test]
    fn prop_any_name_can_be_printed(name in any::<String>(), who in "[\\x00-\\x20<&>\"'\u{202e}\u{2066}ø漢\u{ffff}a-z]{0,40}") {
        let mut made = page();
        made.name.clone_from(&name);
        made.label.clone_from(&who);
        made.noticed[0].who = vec![who.clone()];
        made.left[0].title.clone_from(&name);
        made.advice = vec![name.clone()];
        let header = Header { name: who.clone(), lines: vec![name.clone()], picture: None };
        let pages = customer::pages(&made, &header, &TimeZone::UTC);
        let drawn = svg(&pages, &name);
        let dangerous = drawn.contains(['\u{202e}', '\u{2066}', '\u{7}', '漢']);
        prop_assert!(!dangerous);
        rectangles(&drawn, "none");
        prop_assert!(pdf(&pages, &name).is_ok());
    }
}

fn row(class: Class, bands: [u64; BAND_COUNT], limit: Option<AgeLimit>) -> AgesRow {
    let found = bands.iter().sum();
    AgesRow {
        title: "Temporary folder".to_owned(),
        account: None,
        class,
        bands,
        is_taken: true,
        limit,
        found,
        takes: bands[4..].iter().sum(),
    }
}

#[test]
fn the_bars_by_age_are_as_high_as_what_they_hold_and_coloured_where_it_goes() {
    let bands = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12].map(|bytes| bytes << 20);
    let rows = [row(Class::Spent, bands, AgeLimit::at_edge(4))];
    let utc = TimeZone::UTC;
    let picture = AgesPicture {
        name: "till <&>",
        when: at(0),
        zone: &utc,
        rows: &rows,
    };
    let drawn = svg(&[ages::page(&picture)], "ages");
    let bars = |colour: &str| -> Vec<f64> {
        let all = rectangles(&drawn, colour).into_iter();
        // The class has a small square of its own.
        let bars = all.filter(|(width, _)| *width > 8.0);
        bars.map(|(_, height)| height).collect()
    };
    let (stays, goes) = (bars("#c3c8ce"), bars("#6cb8a6"));
    assert_eq!((stays.len(), goes.len()), (4, 8));
    let unit = goes.last().unwrap() / 12.0;
    for (height, held) in stays.iter().chain(&goes).zip(1_u32..) {
        assert!((height - unit * f64::from(held)).abs() < 0.02, "{held}");
    }
    let text = told_by(
        "pdftotext",
        &["-layout"],
        &pdf(&[ages::page(&picture)], "ages").unwrap(),
    );
    if let Some(text) = text {
        assert!(
            text.contains("till <&>") && text.contains("1 week"),
            "{text}"
        );
        assert!(
            text.contains("68.0 MiB to sweep of 78.0 MiB found"),
            "{text}"
        );
    }
}

fn visit(day: i64, free: u64, after: Option<u64>) -> Visit {
    let run = |free| VisitRun {
        run: format!("run-{day}"),
        ended: at(day),
        free,
        went: Vec::new(),
        told: jolly_core::state::Told::default(),
    };
    Visit {
        started: at(day),
        seconds: 60,
        size: 100 * GIB,
        used: 100 * GIB - free,
        free,
        is_whole: true,
        facts: Vec::new(),
        signs: Vec::new(),
        piles: Vec::new(),
        runs: after.map(run).into_iter().collect(),
        decided: Vec::new(),
    }
}

#[test]
fn what_comes_back_is_drawn_on_one_scale_and_the_forecast_from_where_it_ends() {
    let visits = [
        visit(0, 20 * GIB, Some(60 * GIB)),
        visit(70, 50 * GIB, None),
    ];
    let pile = |title: &str, more: u64| Regrowth {
        rule: "linux/x".to_owned(),
        title: title.to_owned(),
        account: None,
        left: 0,
        now: more,
        weekly: more / 10,
    };
    // Twenty are drawn, and the rest in one row.
    let piles = (0..25).map(|at| pile(&format!("Pile {at}"), GIB)).collect();
    let regrown = Regrown {
        since: at(0),
        passed: 70 * 86_400,
        piles,
    };
    let forecast = Forecast {
        intervals: 1,
        over: 70 * 86_400,
        weekly: 1 << 30,
        falls: Some(at(350)),
    };
    let utc = TimeZone::UTC;
    let chart = RegrowthChart {
        name: "till",
        visits: &visits,
        now: None,
        little: LittleFree(10),
        forecast: Some(&forecast),
        outlook: "less than a tenth free in 9 months",
        regrown: Some(&regrown),
        zone: &utc,
    };
    let page = regrowth::page(&chart).unwrap();
    let drawn = svg(std::slice::from_ref(&page), "visits");
    assert_eq!(drawn, svg(&[regrowth::page(&chart).unwrap()], "visits"));
    let widths = rectangles(&drawn, "#e6b450")
        .into_iter()
        .filter(|bar| (bar.1 - 10.0).abs() < 0.01);
    let widths: Vec<f64> = widths.map(|(width, _)| width).collect();
    assert_eq!(widths.len(), 21);
    let (first, rest) = (widths[0], widths[20]);
    assert!((rest - 5.0 * first).abs() < 0.1, "{widths:?}");
    // The line of the forecast and that of the threshold are there, dashed.
    assert_eq!(drawn.matches("stroke-dasharray").count(), 2, "{drawn}");
    let text = told_by(
        "pdftotext",
        &["-layout"],
        &PaperForm::Pdf.bytes(&[page], "visits").unwrap(),
    );
    if let Some(text) = text {
        assert!(text.contains("60 GiB") && text.contains("5 more"), "{text}");
        assert!(
            text.contains("2 visits") && text.contains("102 MiB a week"),
            "{text}"
        );
    }
    // A computer that was never measured has a chart without a line.
    let empty = RegrowthChart {
        visits: &[],
        forecast: None,
        regrown: None,
        ..chart
    };
    assert!(pdf(&[regrowth::page(&empty).unwrap()], "empty").is_ok());
}

/// A PNG picture of one colour.
fn picture(width: u32, height: u32) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, width, height);
    encoder.set_color(png::ColorType::Grayscale);
    let dots = vec![90; (width * height) as usize];
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(&dots).unwrap();
    writer.finish().unwrap();
    out
}

#[test]
fn a_header_takes_a_picture_and_nothing_else() {
    let good = picture(300, 100);
    let header = Header {
        picture: Some(Picture::read(&good).unwrap()),
        ..Header::default()
    };
    let pages = customer::pages(&page(), &header, &TimeZone::UTC);
    assert!(svg(&pages, "page").contains("data:image/png;base64,"));
    if let Some(listed) = told_by("pdfimages", &["-list"], &pdf(&pages, "page").unwrap()) {
        assert!(listed.contains("300   100"), "{listed}");
    }
    let half = &good[..good.len() / 2];
    let text = b"<svg xmlns=\"http://www.w3.org/2000/svg\"/>";
    for wrong in [&b""[..], text, half] {
        let refused = Picture::read(wrong);
        assert!(
            matches!(refused, Err(PictureError::NoPicture(_))),
            "{refused:?}"
        );
    }
    // A few bytes that would be gigabytes of dots.
    let mut bomb = picture(1, 1);
    bomb[16..24].copy_from_slice(&[0, 0, 0xc3, 0x50, 0, 0, 0xc3, 0x50]);
    let checked = crc32(&bomb[12..29]).to_be_bytes();
    bomb[29..33].copy_from_slice(&checked);
    let refused = Picture::read(&bomb);
    assert!(
        matches!(refused, Err(PictureError::TooLarge { width: 50_000, .. })),
        "{refused:?}"
    );
}

/// The checksum of a part of a PNG file (ISO/IEC 15948, annex D).
fn crc32(bytes: &[u8]) -> u32 {
    !bytes.iter().fold(u32::MAX, |crc, byte| {
        (0..8).fold(crc ^ u32::from(*byte), |crc, _| {
            (crc >> 1) ^ (0xedb8_8320 * (crc & 1))
        })
    })
}
