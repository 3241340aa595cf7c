//! Pages as they are drawn, and as the terminal shows them before they are written.

use std::cell::LazyCell;
use std::path::Path;

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::computer::Layout;
use jolly_core::dustpan::Pan;
use jolly_core::format::Printable;
use jolly_core::report::{
    AgesRow, CustomerPage, Forecast, LittleFree, Regrown, RuleWords, customer_page, forecast,
    regrown_at_last,
};
use jolly_core::rule::{Class, RuleSet, builtin};
use jolly_core::run::verify_log;
use jolly_core::state::{RunId, Sheet, SheetStore, StateFolder};
use jolly_core::wiping::read_wipe;
use jolly_paper::ages::AgesPicture;
use jolly_paper::regrowth::RegrowthChart;
use jolly_paper::{Page, ages, certificate, customer, regrowth};

use crate::handover::HandoverError;
use crate::shop::Shop;
use crate::wording::{bytes, full_again};

/// What was drawn.
pub(crate) struct Drawn {
    /// The title of the document.
    pub title: String,
    pub pages: Vec<Page>,
    /// What stands on it, line by line.
    pub lines: Vec<PreviewLine>,
}

/// A line of what stands on a page.
#[derive(Clone, Debug, Default)]
pub(crate) struct PreviewLine {
    pub says: String,
    pub figure: String,
    /// Whether it heads what follows.
    pub is_title: bool,
    /// Whether it belongs to a line before.
    pub is_below: bool,
    /// Whether it only says more.
    pub is_quiet: bool,
    pub class: Option<Class>,
}

impl PreviewLine {
    pub(super) fn plain(says: &str) -> Self {
        Self {
            says: harmless(says),
            ..Self::default()
        }
    }

    pub(super) fn title(says: &str) -> Self {
        Self {
            is_title: true,
            ..Self::plain(says)
        }
    }

    fn detail(says: &str) -> Self {
        Self {
            is_below: true,
            is_quiet: true,
            ..Self::plain(says)
        }
    }

    pub(super) fn with(self, figure: String) -> Self {
        Self { figure, ..self }
    }
}

fn harmless(text: &str) -> String {
    Printable(text.as_bytes()).to_string()
}

/// Draws the certificate of something that was written over.
fn draw_wipe(
    (state, config): (&StateFolder, Option<&Path>),
    run: &RunId,
) -> Result<Drawn, HandoverError> {
    let log = read_wipe(state, run)?;
    let header = Shop::read(config)?.header(config)?;
    let zone = TimeZone::system();
    let title = certificate::subject(&log);
    let mut lines = vec![
        PreviewLine::title(&title),
        PreviewLine::title(certificate::verdict(&log)),
    ];
    for (name, says) in certificate::facts(&log, &zone) {
        lines.push(PreviewLine::plain(name).with(harmless(&says)));
    }
    lines.extend(log.told.iter().map(|told| PreviewLine::detail(told)));
    Ok(Drawn {
        title,
        pages: certificate::pages(&log, &header, &zone),
        lines,
    })
}

/// Draws the customer's page of a run, or its certificate where something was written over.
pub(crate) fn draw_run(
    (state, config): (&StateFolder, Option<&Path>),
    run: &RunId,
) -> Result<Drawn, HandoverError> {
    if state.wipe(run).exists() {
        return draw_wipe((state, config), run);
    }
    let page = page_of(state, run)?;
    let header = Shop::read(config)?.header(config)?;
    let zone = TimeZone::system();
    let heading = customer::heading(&page, &zone);
    let mut lines = vec![
        PreviewLine::title(&heading.name),
        PreviewLine::detail(&heading.about),
        PreviewLine::title(&heading.says),
    ];
    lines.extend(heading.caveat.map(PreviewLine::plain));
    if let Some(after) = page.free_after {
        let free = format!("free {} → {}", bytes(page.free_before), bytes(after));
        lines.push(PreviewLine::plain(&free));
    }
    for section in customer::sections(&page, &zone) {
        lines.push(PreviewLine::default());
        lines.push(PreviewLine::title(section.title));
        for row in section.rows {
            if !row.who.is_empty() {
                lines.push(PreviewLine::plain(&row.who));
            }
            lines.push(PreviewLine {
                class: row.bar.map(|(class, _)| class),
                is_below: row.is_someones,
                ..PreviewLine::plain(&row.says).with(row.figure.clone())
            });
            if !row.detail.is_empty() {
                lines.push(PreviewLine::detail(&row.detail.join(" · ")));
            }
        }
    }
    Ok(Drawn {
        title: page.name.clone(),
        pages: customer::pages(&page, &header, &zone),
        lines,
    })
}

/// The customer's page of a run.
fn page_of(state: &StateFolder, run: &RunId) -> Result<CustomerPage, HandoverError> {
    let log = verify_log(state, run)?;
    let sheets = SheetStore::open_existing(state)?;
    let sheet = sheets.map_or(Ok(None), |sheets| sheets.of_computer(&log.identity))?;
    // Only a rule that the sheet knows nothing of is looked for.
    let books =
        LazyCell::new(|| Layout::ALL.map(|layout| RuleSet::compile(&[builtin(layout)]).ok()));
    let words = |id: &str| {
        let sets = books.iter().flatten();
        let mut known = sets.filter_map(|set| Some(&set.rule(set.by_id(id)?).rule));
        known.next().map(|rule| RuleWords {
            title: rule.title.clone(),
            class: rule.class,
        })
    };
    let pans = Pan::all(state).unwrap_or_default();
    let pan = pans.into_iter().flatten().find(|pan| pan.run == *run);
    let until = pan.filter(Pan::is_here).map(|pan| pan.until);
    Ok(customer_page(&log, sheet.as_ref(), &words, until))
}

/// Draws the piles of a scan by age.
pub(crate) fn draw_ages(name: &str, when: Timestamp, rows: &[AgesRow]) -> Drawn {
    let zone = TimeZone::system();
    let picture = AgesPicture {
        name,
        when,
        zone: &zone,
        rows,
    };
    let mut lines = vec![PreviewLine::title(name)];
    for class in Class::ALL {
        let own = rows.iter().filter(|row| row.class == class);
        for (at, row) in own.enumerate() {
            if at == 0 {
                lines.push(PreviewLine::default());
                lines.push(PreviewLine {
                    class: Some(class),
                    ..PreviewLine::title(class.meaning())
                });
            }
            let whose = row.account.as_deref().unwrap_or("system");
            let limit = match (row.is_taken, row.limit) {
                (false, _) => "left".to_owned(),
                (true, limit) => crate::wording::limit_words(limit),
            };
            let says = format!("{}, {whose}, {limit}", row.title);
            let figure = format!("{} of {}", bytes(row.takes), bytes(row.found));
            lines.push(PreviewLine::plain(&says).with(figure));
        }
    }
    Drawn {
        title: name.to_owned(),
        pages: vec![ages::page(&picture)],
        lines,
    }
}

/// What a chart of visits is drawn of.
#[derive(Clone)]
pub(crate) struct VisitsChart {
    /// Now, and what is free now; none where nobody looked since the last visit.
    pub now: Option<(Timestamp, u64)>,
    pub little: LittleFree,
    pub forecast: Option<Forecast>,
    pub regrown: Option<Regrown>,
}

impl VisitsChart {
    /// What a sheet alone tells.
    pub(crate) fn of_sheet(sheet: &Sheet, little: LittleFree) -> Self {
        let last = sheet.visits.iter().rev().find(|visit| visit.size > 0);
        let forecast = last.and_then(|last| {
            let threshold = little.of(last.size);
            forecast(sheet, (last.started, last.free_after()), threshold)
        });
        Self {
            now: None,
            little,
            forecast,
            regrown: regrown_at_last(sheet),
        }
    }
}

/// Draws a computer's visits, and what comes back between them.
pub(crate) fn draw_regrowth(sheet: &Sheet, chart: &VisitsChart) -> Result<Drawn, HandoverError> {
    let name = sheet.shown_name();
    let last = sheet.last_visit().map(|visit| visit.started);
    let now = chart.now.map(|(now, _)| now).or(last);
    let now = now.map_or(0, Timestamp::as_second);
    let outlook = full_again(chart.forecast.as_ref(), now, chart.little);
    let zone = TimeZone::system();
    let page = regrowth::page(&RegrowthChart {
        name,
        visits: &sheet.visits,
        now: chart.now,
        little: chart.little,
        forecast: chart.forecast.as_ref(),
        outlook: &outlook,
        regrown: chart.regrown.as_ref(),
        zone: &zone,
    })?;
    let mut lines = vec![
        PreviewLine::title(name),
        PreviewLine::detail(&outlook),
        PreviewLine::default(),
        PreviewLine::title("Free space"),
    ];
    for visit in sheet.visits.iter().filter(|visit| visit.size > 0) {
        let day = visit.started.to_zoned(zone.clone());
        let free = format!("{} → {}", bytes(visit.free), bytes(visit.free_after()));
        let says = day.strftime("%-d %B %Y").to_string();
        lines.push(PreviewLine::plain(&says).with(free));
    }
    if let Some(regrown) = &chart.regrown {
        lines.push(PreviewLine::default());
        lines.push(PreviewLine::title("What has grown"));
        for one in &regrown.piles {
            let whose = one.account.as_deref().unwrap_or("system");
            let figure = format!("{}, {} a week", bytes(one.grown()), bytes(one.weekly));
            lines.push(PreviewLine::plain(&format!("{}, {whose}", one.title)).with(figure));
        }
    }
    Ok(Drawn {
        title: name.to_owned(),
        pages: vec![page],
        lines,
    })
}
