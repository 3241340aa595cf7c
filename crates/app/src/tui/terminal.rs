//! The terminal, taken and given back whatever happens.

use std::io;

use ratatui::DefaultTerminal;
use ratatui::crossterm::event::{DisableBracketedPaste, EnableBracketedPaste};
use ratatui::crossterm::execute;

/// The terminal in full-screen mode; dropping it gives the terminal back.
pub(super) struct Screen {
    terminal: DefaultTerminal,
}

impl Screen {
    /// Takes the terminal.
    pub(super) fn open() -> io::Result<Self> {
        let terminal = ratatui::try_init()?;
        let screen = Self { terminal };
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            give_back_the_rest();
            hook(info);
        }));
        execute!(io::stdout(), EnableBracketedPaste)?;
        Ok(screen)
    }

    /// Draws one frame.
    pub(super) fn draw(&mut self, draw: impl FnOnce(&mut ratatui::Frame<'_>)) -> io::Result<()> {
        self.terminal.draw(draw).map(drop)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back_the_rest();
        ratatui::restore();
    }
}

/// What ratatui's own hook doesn't undo. Each step is tried; a terminal that is gone needs none.
fn give_back_the_rest() {
    drop(execute!(io::stdout(), DisableBracketedPaste));
}
