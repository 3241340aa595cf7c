//! The regrowth chart: free space from visit to visit, when it will be little, and what comes back fastest.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::format::bytes;
use jolly_core::report::{Forecast, LittleFree, Regrown, Regrowth};
use jolly_core::state::Visit;
use plotters::prelude::*;

use crate::PaperError;
use crate::canvas::{Page, Style, share, total};
use crate::font::{FAMILY, Weight, cut};
use crate::palette;

/// What is drawn.
#[derive(Clone, Debug)]
pub struct RegrowthChart<'a> {
    /// Whose computer it is.
    pub name: &'a str,
    /// Its visits, oldest first.
    pub visits: &'a [Visit],
    /// Now, and what is free now, in bytes; none where nobody looked since the last visit.
    pub now: Option<(Timestamp, u64)>,
    /// From where on what is free is little.
    pub little: LittleFree,
    /// When that will be, as far as visits tell.
    pub forecast: Option<&'a Forecast>,
    /// What is said of that.
    pub outlook: &'a str,
    /// What has come back since the last visit.
    pub regrown: Option<&'a Regrown>,
    /// The zone of the days that are written.
    pub zone: &'a TimeZone,
}

const WIDTH: f32 = 841.89;
const LEFT: f32 = 40.0;
const RIGHT: f32 = WIDTH - 40.0;
const ROW: f32 = 18.0;
const PLOT: (u32, u32) = (762, 250);

/// Piles that are drawn; the rest is one row.
const MOST_ROWS: usize = 20;

const TEXT: Style = Style::regular(9.5);
const QUIET: Style = Style::quiet(8.5);

/// Draws it on one page that is as high as it needs.
///
/// # Errors
/// When the line can't be drawn.
pub fn page(chart: &RegrowthChart<'_>) -> Result<Page, PaperError> {
    let rows = rows(chart.regrown);
    let high = 420.0 + ROW * rows.len().max(1) as f32;
    let many = chart.visits.len();
    let visits = if many == 1 { "visit" } else { "visits" };
    let about = format!("{many} {visits}  ·  {}", chart.outlook);
    let about = cut(&about, RIGHT - LEFT, QUIET.size, Weight::Regular);
    let mut page = Page::new(WIDTH, high)
        .rect((LEFT, 36.0, RIGHT - LEFT, 3.0), palette::STRAW, None)
        .text((LEFT, 62.0), Style::bold(15.0), chart.name)
        .text((LEFT, 77.0), QUIET, &about)
        .text((LEFT, 102.0), Style::bold(11.0), "Free space");
    page = key(page, chart.little).drawing((LEFT, 108.0), &plot(chart)?);
    let top = 384.0;
    let since = chart.regrown.map(|regrown| day(regrown.since, chart.zone));
    let title = since.map_or_else(
        || "What has grown since the last visit isn't known before the next scan".to_owned(),
        |since| format!("What has grown since {since}, and how fast"),
    );
    page = page.text((LEFT, top), Style::bold(11.0), &title);
    if chart.regrown.is_some() && rows.is_empty() {
        page = page.text((LEFT, top + 20.0), QUIET, "Nothing of what the rules find.");
    }
    Ok(draw_rows(page, &rows, top + 8.0))
}

/// A row of what came back.
struct Grown {
    says: String,
    account: String,
    more: u64,
    weekly: u64,
}

fn rows(regrown: Option<&Regrown>) -> Vec<Grown> {
    let piles = regrown.map_or(&[][..], |regrown| &regrown.piles);
    let row = |one: &Regrowth| Grown {
        says: one.title.clone(),
        account: one.account.clone().unwrap_or_else(|| "system".to_owned()),
        more: one.grown(),
        weekly: one.weekly,
    };
    let mut rows: Vec<Grown> = piles.iter().take(MOST_ROWS).map(row).collect();
    let rest = piles.get(MOST_ROWS..).unwrap_or_default();
    if !rest.is_empty() {
        rows.push(Grown {
            says: format!("{} more", rest.len()),
            account: String::new(),
            more: total(rest.iter().map(Regrowth::grown)),
            weekly: total(rest.iter().map(|one| one.weekly)),
        });
    }
    rows
}

/// All bars on one scale: together they are as wide as the place for them, and stand for all that has grown.
fn draw_rows(mut page: Page, rows: &[Grown], mut top: f32) -> Page {
    const TITLES: f32 = 210.0;
    const BARS: f32 = LEFT + TITLES + 90.0;
    const WIDE: f32 = RIGHT - BARS - 170.0;
    let all = total(rows.iter().map(|row| row.more));
    for row in rows {
        let line = top + 13.0;
        let says = cut(&row.says, TITLES, TEXT.size, Weight::Regular);
        let account = cut(&row.account, 76.0, QUIET.size, Weight::Regular);
        let wide = WIDE * share(row.more, all);
        let weekly = format!("{} a week", bytes(row.weekly));
        page = page
            .text((LEFT, line), TEXT, &says)
            .text((LEFT + TITLES + 8.0, line), QUIET, &account)
            .rect(
                (BARS, top + 4.0, wide, 10.0),
                palette::STRAW,
                Some(&bytes(row.more)),
            )
            .text_end((RIGHT - 90.0, line), Style::bold(9.5), &bytes(row.more))
            .text_end((RIGHT, line), QUIET, &weekly);
        top += ROW;
    }
    page
}

const GIB: f64 = (1_u64 << 30) as f64;

/// Seconds, and GiB free.
type Point = (f64, f64);

fn point(when: Timestamp, free: u64) -> Point {
    (when.as_second() as f64, free as f64 / GIB)
}

/// Free space as a line: at each visit it goes up by what was swept, between them it falls.
fn plot(chart: &RegrowthChart<'_>) -> Result<String, PaperError> {
    let mut line: Vec<Point> = Vec::new();
    let mut swept: Vec<Point> = Vec::new();
    let measured = chart.visits.iter().filter(|visit| visit.size > 0);
    for visit in measured.clone() {
        line.push(point(visit.started, visit.free));
        if let Some(run) = visit.runs.last() {
            line.push(point(run.ended, run.free));
            swept.push(point(run.ended, run.free));
        }
    }
    line.extend(chart.now.map(|(now, free)| point(now, free)));
    let size = measured.map(|visit| visit.size).max().unwrap_or(0);
    let little = chart.little.of(size) as f64 / GIB;
    let falls = chart.forecast.and_then(|forecast| forecast.falls);
    let last = line.last().copied();
    let ahead = last.zip(falls).map_or_else(Vec::new, |(last, falls)| {
        let far = line.first().map_or(0.0, |first| last.0 - first.0);
        ahead(last, (falls.as_second() as f64, little), far)
    });
    let times = line.iter().chain(&ahead).map(|(when, _)| *when);
    let first = times.clone().fold(f64::INFINITY, f64::min);
    let end = times.fold(f64::NEG_INFINITY, f64::max);
    if !first.is_finite() {
        return Ok(String::new());
    }
    let end = end.max(first + 86_400.0);
    let tallest = line.iter().map(|(_, free)| *free).fold(little, f64::max);
    let lines = Lines {
        line,
        swept,
        ahead,
        little,
        spans: (first, end, tallest * 1.08),
    };
    let mut out = String::new();
    lines
        .draw(SVGBackend::with_string(&mut out, PLOT), chart.zone)
        .map_err(|error| PaperError::Chart(error.to_string()))?;
    // The page has its own place and size for it.
    let inside = out.split_once('>').map_or("", |(_, inside)| inside);
    let mut inside = inside.replace("</svg>", "").replace("sans-serif", FAMILY);
    // The package draws a dashed line dot by dot; a stroke of its own colour can be dashed as a whole.
    for (colour, dashes) in [(LITTLE, "2 3"), (AHEAD, "6 4")] {
        let stroke = format!("stroke=\"{}\"", hex(colour));
        inside = inside.replace(&stroke, &format!("{stroke} stroke-dasharray=\"{dashes}\""));
    }
    Ok(inside)
}

/// A forecast is drawn no farther than visits reach back: what was measured stays large enough to be read.
fn ahead(last: Point, falls: Point, far: f64) -> Vec<Point> {
    let whole = falls.0 - last.0;
    if whole <= 0.0 {
        return Vec::new();
    }
    let part = (far.max(30.0 * 86_400.0) / whole).min(1.0);
    let end = (last.0 + whole * part, last.1 + (falls.1 - last.1) * part);
    vec![last, end]
}

struct Lines {
    line: Vec<Point>,
    swept: Vec<Point>,
    ahead: Vec<Point>,
    little: f64,
    /// The first and the last moment, and the most that is free.
    spans: (f64, f64, f64),
}

impl Lines {
    fn draw(
        &self,
        onto: SVGBackend<'_>,
        zone: &TimeZone,
    ) -> Result<(), DrawingAreaErrorKind<std::io::Error>> {
        let (first, end, top) = self.spans;
        let root = onto.into_drawing_area();
        let mut builder = ChartBuilder::on(&root);
        let mut context = builder
            .margin(6)
            .x_label_area_size(24)
            .y_label_area_size(54)
            .build_cartesian_2d(first..end, 0.0..top)?;
        let quiet = RGBColor(100, 108, 118);
        let style = ("sans-serif", 11).into_font().color(&quiet);
        let date = |when: &f64| written(*when, zone);
        context
            .configure_mesh()
            .disable_x_mesh()
            .light_line_style(TRANSPARENT)
            .bold_line_style(RGBColor(228, 231, 234))
            .axis_style(RGBColor(195, 200, 206))
            .x_labels(6)
            .y_labels(5)
            .x_label_formatter(&date)
            .y_label_formatter(&|free| gib(*free))
            .label_style(style)
            .draw()?;
        let straw = RGBColor(214, 158, 48);
        let ink = RGBColor(31, 38, 48);
        let threshold = [(first, self.little), (end, self.little)];
        context.draw_series(LineSeries::new(threshold, LITTLE.stroke_width(2)))?;
        let ahead = self.ahead.iter().copied();
        context.draw_series(LineSeries::new(ahead, AHEAD.stroke_width(2)))?;
        let line = self.line.iter().copied();
        context.draw_series(LineSeries::new(line, ink.stroke_width(2)))?;
        let dots = self.swept.iter();
        context.draw_series(dots.map(|at| Circle::new(*at, 4, straw.filled())))?;
        root.present()
    }
}

/// The colours of the two lines that nobody measured: where little is free, and where it goes from here.
const LITTLE: RGBColor = RGBColor(200, 110, 70);
const AHEAD: RGBColor = RGBColor(120, 128, 138);

fn hex(RGBColor(red, green, blue): RGBColor) -> String {
    format!("#{red:02X}{green:02X}{blue:02X}")
}

/// What the lines and dots are.
fn key(mut page: Page, little: LittleFree) -> Page {
    let little = format!("less than {little} free");
    let mut at = LEFT + 90.0;
    for (says, colour, is_line) in [
        ("after a sweep", "#d69e30".to_owned(), false),
        ("as it has been filling", hex(AHEAD), true),
        (little.as_str(), hex(LITTLE), true),
    ] {
        page = if is_line {
            let dash = |page: Page, from: f32| {
                page.line((at + from, 98.5), (at + from + 4.0, 98.5), &colour, 1.5)
            };
            dash(dash(dash(page, 0.0), 6.0), 12.0)
        } else {
            page.rect((at + 5.0, 95.0, 7.0, 7.0), &colour, None)
        };
        page = page.text((at + 21.0, 102.0), QUIET, says);
        at += 21.0 + QUIET.width(says) + 22.0;
    }
    page
}

/// A moment as the axis says it.
fn written(seconds: f64, zone: &TimeZone) -> String {
    #[expect(clippy::cast_possible_truncation, reason = "whole seconds are enough")]
    let when = Timestamp::from_second(seconds as i64);
    when.map_or_else(|_| String::new(), |when| day(when, zone))
}

/// A tick of the axis: whole GiB where it is whole.
fn gib(free: f64) -> String {
    if free.fract().abs() < 0.005 {
        format!("{free:.0} GiB")
    } else {
        format!("{free:.1} GiB")
    }
}

fn day(when: Timestamp, zone: &TimeZone) -> String {
    let day = when.to_zoned(zone.clone());
    day.strftime("%-d %b %Y").to_string()
}
