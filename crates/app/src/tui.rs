//! The interface: a model, what changes it, what draws it, and threads that work for it.

mod action;
mod answer;
mod areas;
mod chores;
mod columns;
mod command;
mod draw;
mod headless;
mod keeping;
mod keys;
mod lookups;
mod model;
mod msg;
mod packs;
mod pans;
mod slots;
mod terminal;
mod theme;
mod update;
mod view;
mod wipes;
mod worker;

#[cfg(test)]
mod tests;

use std::io::IsTerminal as _;
use std::time::{Duration, Instant};

use crate::exit::{Exit, Refusal};
use crate::options::{Looks, SharedOptions};
use crate::session::open_state;
use crate::tui::msg::Lookup;

pub use headless::HeadlessUi;
pub(crate) use lookups::Source;
use model::Model;
use msg::{Effect, Msg};
use theme::Theme;
use worker::Workers;

/// The longest time between two frames while something moves.
const FRAME: Duration = Duration::from_millis(100);

/// Opens the interface: on the target that the options name, else at arrive.
pub(crate) fn open(
    options: &SharedOptions,
    looks: &Looks,
    source: Source,
) -> Result<Exit, Refusal> {
    if !std::io::stdin().is_terminal() || !std::io::stdout().is_terminal() {
        return Err(no_terminal());
    }
    // What can't be trusted is said before anything is shown.
    open_state(options)?;
    let mut model = Model::new();
    let first = if options.target.is_some() {
        Effect::Lookup(Lookup::OpenComputer)
    } else {
        Effect::Lookup(Lookup::FindComputers)
    };
    let theme = Theme::of_terminal(looks);
    let failed = |error: std::io::Error| {
        Refusal::failed(
            &error,
            "the interface needs a terminal; `jolly-broom scan` needs none",
        )
    };
    let mut screen = terminal::Screen::open().map_err(failed)?;
    // A terminal that doesn't say is as large as the screens are designed for.
    model.size = screen.size().unwrap_or(model.size);
    let mut workers = Workers::new(options.clone(), source);
    workers.listen();
    workers.carry_out(first);
    let drawn = run(&mut model, &mut workers, &mut |model| {
        screen.draw(|frame| view::draw(model, &theme, frame))
    });
    drop(screen);
    // Whatever ended it, what is under way ends in order.
    workers.end();
    drawn.map_err(failed)?;
    match model.refusal.take() {
        Some(refusal) => Err(refusal),
        None => Ok(Exit::Done),
    }
}

/// What to do where there is no terminal.
pub(crate) fn no_terminal() -> Refusal {
    Refusal {
        exit: Exit::Failed,
        message: "the interface needs a terminal, and this is none\n  without one use `jolly-broom scan`, `preview` and `sweep`".to_owned(),
    }
}

/// The loop: draw what changed, wait for a message, change the model, carry out what it asks for.
fn run(
    model: &mut Model,
    workers: &mut Workers,
    draw: &mut dyn FnMut(&Model) -> std::io::Result<()>,
) -> std::io::Result<()> {
    let began = Instant::now();
    let mut is_dirty = true;
    while !model.is_over {
        if is_dirty {
            draw(model)?;
            is_dirty = false;
        }
        let waited = if model.moves() {
            FRAME
        } else {
            Duration::from_hours(1)
        };
        let Some(message) = workers.wait(waited) else {
            model.clock = began.elapsed();
            is_dirty = model.moves();
            continue;
        };
        model.clock = began.elapsed();
        for message in std::iter::once(message).chain(workers.queued()) {
            is_dirty |= !matches!(message, Msg::Nothing);
            for effect in update::update(model, message) {
                workers.carry_out(effect);
            }
        }
    }
    Ok(())
}
