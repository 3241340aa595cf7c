//! The interface without a terminal: keys go in, frames are drawn into memory, and each is timed.

use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use jolly_core::CancelToken;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::options::{Looks, SharedOptions};
use crate::session::Session;
use crate::tui::model::{Check, Model, Station};
use crate::tui::msg::{Effect, Msg, RunWork};
use crate::tui::theme::Theme;
use crate::tui::update::{start_scan, update};
use crate::tui::{answer, view, worker};

/// Columns and rows of the frames: the size that the screens are designed for.
const SIZE: (u16, u16) = (142, 44);

/// The interface on one computer, without a terminal.
pub struct HeadlessUi {
    model: Model,
    theme: Theme,
    terminal: Terminal<TestBackend>,
}

impl HeadlessUi {
    /// Opens a computer; its job sheet is kept in `state`.
    ///
    /// # Errors
    /// In words, when it can't be opened.
    pub fn open(target: &Path, state: &Path) -> Result<Self, String> {
        let options = SharedOptions {
            state: Some(state.to_owned()),
            ..SharedOptions::default()
        };
        let session = Session::open(&options, target).map_err(|refusal| refusal.message)?;
        let selection = session
            .selection(&options)
            .map_err(|refusal| refusal.message)?;
        let volume = session.target.measure().unwrap_or_default();
        let mut model = Model::new();
        model.open(Arc::new(session), selection, volume);
        model.station = Station::Scan;
        let terminal = Terminal::new(TestBackend::new(SIZE.0, SIZE.1));
        Ok(Self {
            model,
            theme: Theme::of_terminal(&Looks::default()),
            terminal: terminal.map_err(|error| error.to_string())?,
        })
    }

    /// Scans, and gives the number of items with the time from the scan's end to the next frame.
    pub fn scan(&mut self) -> (usize, Duration) {
        let effects = start_scan(&mut self.model).into_iter();
        let took = effects.map(|effect| self.carry_out(effect)).max();
        let weigh = self.model.weigh.as_ref();
        let items = weigh.map_or(0, |weigh| weigh.scan.arena.item_count());
        (items, took.unwrap_or_default())
    }

    /// Presses a key and gives the time to its frame; with the time from the end of what it asked
    /// threads for to the frame that shows that.
    pub fn press(&mut self, code: KeyCode) -> (Duration, Option<Duration>) {
        let began = Instant::now();
        let key = Msg::Key(KeyEvent::new(code, KeyModifiers::NONE));
        let effects = update(&mut self.model, key);
        self.draw();
        let took = began.elapsed();
        let later = effects.into_iter().map(|effect| self.carry_out(effect));
        (took, later.max())
    }

    /// What the last frame shows, line by line.
    pub fn shown(&self) -> Vec<String> {
        let buffer = self.terminal.backend().buffer();
        let line = |row| {
            (0..SIZE.0)
                .map(|column| buffer[(column, row)].symbol())
                .collect()
        };
        (0..SIZE.1).map(line).collect()
    }

    /// Draws a frame.
    fn draw(&mut self) {
        let (model, theme) = (&self.model, &self.theme);
        match self.terminal.draw(|frame| view::draw(model, theme, frame)) {
            Ok(_) => {}
            Err(never) => match never {},
        }
    }

    /// Does on the spot what threads would do, and gives the time from its end to the next frame.
    fn carry_out(&mut self, effect: Effect) -> Duration {
        let never = CancelToken::default();
        let message = match effect {
            Effect::Run(RunWork::Scan(job)) => {
                let (send, _receive) = crossbeam_channel::bounded(1);
                let scanned = worker::scan(&job, &never, &send);
                Msg::Scanned(job.job, scanned)
            }
            Effect::Run(RunWork::List(job, session, scan, decisions)) => {
                let made = Check::of(&session, scan, &decisions);
                Msg::Listed(job, Some(Box::new(made)))
            }
            Effect::Question(question) => {
                let (send, _receive) = crossbeam_channel::bounded(1);
                answer::answer(question, &never, &send)
            }
            // It is for looking: nothing is swept or kept here.
            Effect::Lookup(_)
            | Effect::Files(_)
            | Effect::Run(
                RunWork::StopScan
                | RunWork::Rehearse(..)
                | RunWork::Sweep(_)
                | RunWork::StopSweep
                | RunWork::HoldSweep
                | RunWork::Command(_)
                | RunWork::Wipe(_)
                | RunWork::Type(_)
                | RunWork::GoOn,
            )
            | Effect::Keep(..)
            | Effect::ChangePlaces(..)
            | Effect::LetGo(_) => Msg::Nothing,
        };
        let began = Instant::now();
        let effects = update(&mut self.model, message);
        self.draw();
        let took = began.elapsed();
        effects
            .into_iter()
            .map(|effect| self.carry_out(effect))
            .max()
            .unwrap_or_default()
            .max(took)
    }
}
