//! What is printed or sent: the customer's page and the charts, as SVG and PDF (ISO 32000).
//!
//! The numbers come from the core; here they are only drawn. `font` measures text, `canvas` draws on one page, `document`
//! makes files of pages. Each picture has a file of its own: [`customer`], [`certificate`], [`ages`], [`regrowth`], [`space`], [`fleet`]. The same numbers
//! give the same bytes.

pub mod ages;
mod canvas;
pub mod certificate;
pub mod customer;
mod document;
pub mod fleet;
mod font;
mod palette;
pub mod picture;
pub mod regrowth;
mod sheet;
pub mod space;

pub use canvas::Page;
pub use document::{PaperError, pdf, svg};

/// What a picture is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PaperForm {
    /// Portable Document Format: fonts embedded, text selectable.
    Pdf,
    /// Scalable Vector Graphics; several pages stand below each other.
    Svg,
}

impl PaperForm {
    /// What a file's extension asks for.
    pub fn of(file: &std::path::Path) -> Option<Self> {
        let extension = file.extension()?.to_str()?;
        match extension.to_ascii_lowercase().as_str() {
            "pdf" => Some(Self::Pdf),
            "svg" => Some(Self::Svg),
            _ => None,
        }
    }

    /// The bytes of a file with these pages.
    ///
    /// # Errors
    /// When a page can't be drawn.
    pub fn bytes(self, pages: &[Page], title: &str) -> Result<Vec<u8>, PaperError> {
        match self {
            Self::Pdf => pdf(pages, title),
            Self::Svg => Ok(svg(pages, title).into_bytes()),
        }
    }
}
