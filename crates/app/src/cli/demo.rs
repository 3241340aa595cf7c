//! `demo`: the demo computer.

use std::io::IsTerminal as _;
use std::path::Path;

use jolly_core::CancelToken;
use jolly_core::computer::Layout;
use jolly_core::decide::Decisions;
use jolly_core::plan::make_manifest;
use jolly_core::report::{told, visit_run, visit_scan};
use jolly_core::run::Pause;
use jolly_core::state::{Kept, Sheet, SheetStore, Told, Visit, VisitPile, VisitRun, WentOf};
use jolly_demo::{DemoError, DemoLayout, Program};

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::{Looks, SharedOptions};
use crate::runs::List;
use crate::session::{Session, clock, read_layout};
use crate::tui;
use crate::visits::refuse_sheets;

fn refuse(error: &DemoError) -> Refusal {
    match error {
        DemoError::Doubted { .. } => {
            Refusal::bad_input(error, "name a folder of your own, or one below /tmp")
        }
        DemoError::NotEmpty { .. } => {
            Refusal::bad_input(error, "name a folder that is empty or not there yet")
        }
        DemoError::Disk { .. }
        | DemoError::Database { .. }
        | DemoError::Rulebook { .. }
        | DemoError::Record(_) => Refusal::failed(
            error,
            "the demo needs 1.5 GiB of room in a folder that can be written",
        ),
    }
}

/// Which demo computer `--layout` asks for; the till without it.
fn demo_layout(options: &SharedOptions) -> Result<DemoLayout, Refusal> {
    Ok(match read_layout(options.layout.as_deref())? {
        None | Some(Layout::Linux) => DemoLayout::Linux,
        Some(Layout::Windows) => DemoLayout::Windows,
        Some(Layout::Macos) => DemoLayout::Macos,
    })
}

/// Seconds of so many weeks.
fn of_weeks(weeks: u32) -> i64 {
    i64::from(weeks) * 7 * 86_400
}

/// Builds it and exits; some weeks on, one that is there already is made so many weeks older.
pub(super) fn build(
    options: &SharedOptions,
    folder: &Path,
    weeks: Option<u32>,
) -> Result<Exit, Refusal> {
    let now = clock().as_second();
    if let Some(weeks) = weeks {
        let known = jolly_demo::built_in(folder);
        let layout = known.map_or_else(|| demo_layout(options), Ok)?;
        if known.is_none() {
            jolly_demo::build(folder, layout, now).map_err(|error| refuse(&error))?;
        }
        let later = now + of_weeks(weeks);
        jolly_demo::grow(folder, layout, later, weeks).map_err(|error| refuse(&error))?;
        let later = jiff::Timestamp::from_second(later).unwrap_or_default();
        print::result(|out| {
            let (label, folder) = (layout.label(), folder.display());
            writeln!(
                out,
                "The {label} in {folder} is {weeks} weeks on: --now {later}"
            )
        })?;
        return Ok(Exit::Done);
    }
    let layout = demo_layout(options)?;
    let next_door = jolly_demo::build(folder, layout, now).map_err(|error| refuse(&error))?;
    print::result(|out| {
        writeln!(out, "The {} is in {}", layout.label(), folder.display())?;
        writeln!(
            out,
            "A link in it points out to {}, which must survive",
            next_door.display()
        )
    })?;
    Ok(Exit::Done)
}

/// Builds it in a fresh folder and opens the interface on it; the folder goes with the interface.
pub(super) fn open(
    options: &SharedOptions,
    looks: &Looks,
    weeks: Option<u32>,
) -> Result<Exit, Refusal> {
    let layout = demo_layout(options)?;
    if !std::io::stdout().is_terminal() {
        return Err(tui::no_terminal());
    }
    let failed = |error: std::io::Error| {
        Refusal::failed(&error, "the demo needs a folder for temporary files")
    };
    let folder = tempfile::Builder::new()
        .prefix("jolly-broom-demo-")
        .tempdir()
        .map_err(failed)?;
    let root = folder
        .path()
        .join(layout.label().split(' ').next().unwrap_or("till"));
    print::message("Building the demo computer…");
    let now = clock().as_second();
    jolly_demo::build(&root, layout, now).map_err(|error| refuse(&error))?;
    let program = Program::start(&root, folder.path()).map_err(failed)?;
    let mut options = SharedOptions {
        // What is on the disk says which layout it is.
        layout: None,
        target: Some(root.clone()),
        // What is tried out here must not change how the shop starts, or spare, tomorrow; and no other demo
        // computer is this one.
        config: Some(folder.path().join("settings")),
        state: Some(
            options
                .state
                .clone()
                .unwrap_or_else(|| folder.path().join("state")),
        ),
        ..options.clone()
    };
    if let Some(weeks) = weeks {
        print::message("Visiting it a first time, and letting the weeks pass…");
        first_visit(&options, &root, now)?;
        let later = now + of_weeks(weeks);
        jolly_demo::grow(&root, layout, later, weeks).map_err(|error| refuse(&error))?;
        let later = jiff::Timestamp::from_second(later).unwrap_or_default();
        options.now = Some(later.to_string());
    }
    let ended = tui::open(&options, looks, tui::Source::Demo(folder.path().to_owned()));
    drop(program);
    jolly_demo::make_removable(&root).map_err(|error| refuse(&error))?;
    folder.close().map_err(failed)?;
    ended
}

/// Days before the first visit that is really made; what was free of the volume then, in percent; what was found and what
/// went, in MiB: made up.
const EARLIER: [(i64, u64, u64, u64); 3] =
    [(230, 55, 610, 540), (151, 58, 480, 300), (70, 54, 520, 410)];

/// Makes a visit: scans, sweeps what starts taken, and keeps that with some earlier ones.
fn first_visit(options: &SharedOptions, root: &Path, now: i64) -> Result<(), Refusal> {
    let options = SharedOptions {
        now: jiff::Timestamp::from_second(now)
            .ok()
            .map(|now| now.to_string()),
        ..options.clone()
    };
    let session = Session::open(&options, root)?;
    let never = CancelToken::default();
    let finds = session.leftovers(&never).into();
    let scan = session.scan((None, finds), &never, &|_| {});
    let selection = session.selection(&options)?;
    let decisions = Decisions::new(&scan, &selection)
        .map_err(|error| Refusal::bad_input(&error, "mend that exclusion"))?;
    let found = visit_scan(&scan, &decisions);
    let kept = session.note_visit(None, &found);
    kept.map_err(|error| refuse_sheets(&error))?;
    let manifest = make_manifest(&scan, &decisions).confirm();
    let list = List {
        searches: &scan.searches,
        ..List::default()
    };
    let control = (&never, &Pause::default());
    let swept = session.sweep(&list, &manifest, None, control, &|_| {});
    let run =
        swept.map_err(|error| Refusal::failed(&error, "try the demo without --weeks-later"))?;
    let ended = scan.now;
    let told = told(&run.summary, &session.rules);
    let kept = session.note_run(&visit_run(&run.id, ended, &run.summary, told));
    kept.map_err(|error| refuse_sheets(&error))?;
    let mut store = SheetStore::open(&session.state).map_err(|error| refuse_sheets(&error))?;
    let sheet = store
        .of_computer(&session.identity)
        .map_err(|error| refuse_sheets(&error))?;
    if let Some(sheet) = sheet {
        let size = scan.volume.size;
        let visit = |one| earlier_visit(one, size, now);
        let earlier = Sheet {
            visits: EARLIER.map(visit).to_vec(),
            ..sheet
        };
        store
            .take_in(&[earlier])
            .map_err(|error| refuse_sheets(&error))?;
    }
    Ok(())
}

/// An earlier visit to the demo computer.
fn earlier_visit((days, percent, found, went): (i64, u64, u64, u64), size: u64, now: i64) -> Visit {
    let kept = |mebibytes: u64| Kept {
        items: mebibytes * 3,
        bytes: mebibytes << 20,
    };
    let (rule, title) = ("linux/system-temp", "Temporary folder");
    let free = size / 100 * percent;
    let started = now - days * 86_400;
    let moment = |second| jiff::Timestamp::from_second(second).unwrap_or_default();
    let run = VisitRun {
        run: format!("{}-000000-000-0", moment(started).strftime("%Y%m%d")),
        ended: moment(started + 1_900),
        free: free + (went << 20),
        went: vec![WentOf {
            rule: rule.to_owned(),
            account: None,
            sum: kept(went),
        }],
        told: Told::default(),
    };
    Visit {
        started: moment(started),
        seconds: 1_900,
        size,
        used: size - free,
        free,
        // Of these nothing is told by pile.
        is_whole: false,
        facts: Vec::new(),
        signs: Vec::new(),
        piles: vec![VisitPile {
            rule: rule.to_owned(),
            title: title.to_owned(),
            class: "spent".to_owned(),
            account: None,
            found: kept(found),
            takes: kept(went),
            state: "taken".to_owned(),
            bands: Vec::new(),
        }],
        runs: vec![run],
        decided: Vec::new(),
    }
}
