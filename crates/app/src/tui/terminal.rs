//! The terminal, taken and given back whatever happens.

use std::io;
use std::mem::ManuallyDrop;

use jolly_core::survey::is_panic_caught;
use ratatui::DefaultTerminal;
use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture,
};
use ratatui::crossterm::execute;

/// The terminal in full-screen mode; dropping it gives the terminal back.
pub(super) struct Screen {
    /// Never dropped: its own end would complain on the error output, which may be as gone as the
    /// terminal, and that would end the program before it has tidied up.
    terminal: ManuallyDrop<DefaultTerminal>,
}

impl Screen {
    /// Takes the terminal.
    pub(super) fn open() -> io::Result<Self> {
        let terminal = ratatui::try_init()?;
        let screen = Self {
            terminal: ManuallyDrop::new(terminal),
        };
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            // What breaks in one file that can't be read ends nothing.
            if !is_panic_caught() {
                give_back_the_rest();
                hook(info);
            }
        }));
        execute!(io::stdout(), EnableBracketedPaste, EnableMouseCapture)?;
        Ok(screen)
    }

    /// How many columns and rows there are.
    pub(super) fn size(&self) -> io::Result<(u16, u16)> {
        let size = self.terminal.size()?;
        Ok((size.width, size.height))
    }

    /// Draws one frame.
    pub(super) fn draw(&mut self, draw: impl FnOnce(&mut ratatui::Frame<'_>)) -> io::Result<()> {
        self.terminal.draw(draw).map(drop)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back_the_rest();
        // Each step is tried; a terminal that is gone needs none of them.
        drop(self.terminal.show_cursor());
        drop(ratatui::try_restore());
    }
}

/// What ratatui's own hook doesn't undo. Each step is tried; a terminal that is gone needs none.
fn give_back_the_rest() {
    drop(execute!(io::stdout(), DisableMouseCapture));
    drop(execute!(io::stdout(), DisableBracketedPaste));
}
