//! Files made of pages.

use std::sync::Arc;

use krilla::Document;
use krilla::geom::Size;
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla_svg::{SurfaceExt as _, SvgSettings};
use svg::node::element::{Group, Title};

use crate::canvas::Page;
use crate::font::{self, FAMILY, FILES};

/// Why there is no file.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum PaperError {
    #[error("page {page} can't be drawn: {why}")]
    Page { page: usize, why: String },
    #[error("the chart can't be drawn: {0}")]
    Chart(String),
    #[error("the document can't be put together: {0}")]
    Document(String),
}

/// The pages as one SVG document, below each other.
pub fn svg(pages: &[Page], title: &str) -> String {
    let width = pages.iter().map(|page| page.width).fold(0.0, f32::max);
    let height = pages.iter().map(|page| page.height).sum();
    let mut document = sized(width, height).add(Title::new(font::drawable(title)));
    let mut top = 0.0;
    for page in pages {
        let at = format!("translate(0 {top})");
        document = document.add(Group::new().set("transform", at).add(page.drawn.clone()));
        top += page.height;
    }
    document.to_string()
}

fn sized(width: f32, height: f32) -> svg::Document {
    svg::Document::new()
        .set("width", format!("{width}pt"))
        .set("height", format!("{height}pt"))
        .set("viewBox", (0, 0, width, height))
}

/// The pages as one PDF document: fonts embedded, text selectable, the same bytes for the same pages.
///
/// # Errors
/// When a page can't be drawn.
pub fn pdf(pages: &[Page], title: &str) -> Result<Vec<u8>, PaperError> {
    let mut fonts = usvg::fontdb::Database::new();
    for file in FILES {
        fonts.load_font_data(file.to_vec());
    }
    let options = usvg::Options {
        fontdb: Arc::new(fonts),
        font_family: FAMILY.to_owned(),
        ..usvg::Options::default()
    };
    let mut document = Document::new();
    let metadata = Metadata::new().title(font::drawable(title));
    document.set_metadata(metadata.language("en".to_owned()));
    for (at, page) in (1..).zip(pages) {
        let failed = |why: String| PaperError::Page { page: at, why };
        let source = svg::Document::new()
            .set("width", page.width)
            .set("height", page.height)
            .set("viewBox", (0, 0, page.width, page.height))
            .add(page.drawn.clone());
        let tree = usvg::Tree::from_str(&source.to_string(), &options);
        let tree = tree.map_err(|error| failed(error.to_string()))?;
        let sizes = PageSettings::from_wh(page.width, page.height)
            .zip(Size::from_wh(page.width, page.height));
        let (settings, size) = sizes.ok_or_else(|| failed("it has no size".to_owned()))?;
        let mut started = document.start_page_with(settings);
        let mut surface = started.surface();
        let drawn = surface.draw_svg(&tree, size, SvgSettings::default());
        surface.finish();
        started.finish();
        drawn.ok_or_else(|| failed("its drawing is of no use".to_owned()))?;
    }
    document
        .finish()
        .map_err(|error| PaperError::Document(format!("{error:?}")))
}
