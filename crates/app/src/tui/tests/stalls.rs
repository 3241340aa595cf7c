//! The screen never waits for the disk.

use std::sync::Arc;
use std::time::{Duration, Instant};

use jolly_core::computer::Target;
use jolly_demo::{Fault, FaultyDisk};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use super::{NOW, TestUi, frame};
use crate::options::{Looks, SharedOptions};
use crate::tui::keys::BINDINGS;
use crate::tui::lookups::Source;
use crate::tui::model::Station;
use crate::tui::msg::{Effect, Lookup, Msg, RunWork};
use crate::tui::update::{start_scan, update};
use crate::tui::worker::Workers;

/// How long every call of the disk takes.
const STALL: Duration = Duration::from_secs(2);

/// The longest that a key may take to its frame here: far below one call of the disk, and far above
/// what a busy machine takes from a test. How fast it really is, a bench tells.
const FRAME: Duration = Duration::from_secs(1);

/// How often a key may be tried: a machine that tests share can stop one of them for longer than that, but
/// not each time, and what waits for the disk does so each time.
const TRIES: usize = 4;

impl TestUi {
    /// The same computer on a disk that can be told to stall.
    fn on_a_slow_disk(mut self) -> (Self, Arc<FaultyDisk>) {
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = Target::open(disk.clone(), &self.root(), None, &|_| None).unwrap();
        let mut session = (**self.model.session.as_ref().unwrap()).clone();
        session.target = Arc::new(target);
        let volume = session.target.measure().unwrap();
        let selection = self.model.selection.clone();
        self.model.open(Arc::new(session), selection, volume);
        (self, disk)
    }

    /// Presses a key with real threads behind it, and draws; gives the time it took.
    fn press_for_real(&mut self, workers: &mut Workers, code: KeyCode) -> Duration {
        let began = Instant::now();
        for message in workers.queued() {
            for effect in update(&mut self.model, message) {
                workers.carry_out(effect);
            }
        }
        let key = Msg::Key(KeyEvent::new(code, KeyModifiers::NONE));
        for effect in update(&mut self.model, key) {
            // The real bench, the state folder and a real sweep are not what is tried here.
            if !matches!(
                effect,
                Effect::Lookup(Lookup::FindComputers | Lookup::Arrive(_))
                    | Effect::Run(RunWork::Sweep(..))
            ) {
                workers.carry_out(effect);
            }
        }
        frame(&self.model, &Looks::default(), 142, 44);
        began.elapsed()
    }

    /// Fails where a key waits for the disk.
    fn is_prompt(&mut self, workers: &mut Workers, key: KeyCode, place: &str) {
        let mut took = Vec::new();
        while took.len() < TRIES {
            took.push(self.press_for_real(workers, key));
            self.model.overlay = None;
            if took.last().is_some_and(|took| *took < FRAME) {
                return;
            }
        }
        panic!("{key:?} at {place}: {took:?}");
    }
}

fn workers(desk: &TestUi) -> Workers {
    let options = SharedOptions {
        now: Some(NOW.to_owned()),
        state: Some(desk.dir.path().join("state")),
        ..SharedOptions::default()
    };
    Workers::new(options, Source::Machine)
}

#[test]
fn a_disk_that_stalls_keeps_no_key_waiting_at_any_station() {
    let (mut desk, disk) = TestUi::new().on_a_slow_disk();
    let mut workers = workers(&desk);
    disk.stall(STALL);
    for effect in start_scan(&mut desk.model) {
        workers.carry_out(effect);
    }
    let keys = BINDINGS.iter().flat_map(|row| row.keys);
    let keys: Vec<KeyCode> = keys
        .map(|(key, _)| *key)
        .filter(|key| *key != KeyCode::Char('q'))
        .collect();
    for key in &keys {
        desk.is_prompt(&mut workers, *key, "while it scans");
    }
    assert!(desk.model.scanning.is_stopping, "esc has stopped it");
    assert!(desk.shown().contains("Stopping"), "{}", desk.shown());
    // With a scan that was done in time, all that follows is tried on the stalling disk.
    disk.stall(Duration::ZERO);
    let mut desk = desk.scanned();
    disk.stall(STALL);
    for station in [
        Station::Scan,
        Station::Weigh,
        Station::Check,
        Station::Weigh,
    ] {
        desk.model.station = station;
        for key in &keys {
            desk.is_prompt(&mut workers, *key, &format!("{station:?}"));
        }
    }
    disk.stall(Duration::ZERO);
}

#[test]
fn a_stopped_scan_is_called_a_part_wherever_it_leads() {
    let (mut desk, disk) = TestUi::new().on_a_slow_disk();
    let mut workers = workers(&desk);
    disk.stall(Duration::from_millis(1));
    for effect in start_scan(&mut desk.model) {
        workers.carry_out(effect);
    }
    let began = Instant::now();
    while desk.model.station == Station::Scan {
        assert!(began.elapsed() < Duration::from_mins(1), "{}", desk.shown());
        let Some(message) = workers.wait(Duration::from_secs(1)) else {
            continue;
        };
        let mut effects = update(&mut desk.model, message);
        let (_, found) = desk.model.scanning.sums();
        if found > 0 && !desk.model.scanning.is_stopping {
            let key = KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE);
            effects.extend(update(&mut desk.model, Msg::Key(key)));
        }
        for effect in effects {
            workers.carry_out(effect);
        }
    }
    disk.stall(Duration::ZERO);
    assert_eq!(desk.model.station, Station::Weigh);
    assert!(
        desk.shown().contains("a part: the scan was stopped"),
        "{}",
        desk.shown()
    );
    assert!(
        frame(&desk.model, &Looks::default(), 80, 24)
            .join("\n")
            .contains(" part ")
    );
    desk.key(KeyCode::Tab);
    assert!(desk.shown().contains("a part"), "{}", desk.shown());
    desk.text("sweep");
    let shown = desk.shown();
    assert!(shown.contains("had been stopped"), "{shown}");
    let logs = jolly_core::run::list_logs(&desk.model.session.as_ref().unwrap().state).unwrap();
    assert!(logs[0].as_ref().unwrap().is_partial);
}
