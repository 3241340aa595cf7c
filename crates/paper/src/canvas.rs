//! One page: what is drawn on it, in points.

use svg::node::element::{Group, Image, Line, Rectangle, Text, Title};

use crate::font::{self, FAMILY, Weight};
use crate::palette;

/// A page, as large as it was made.
#[derive(Clone, Debug)]
pub struct Page {
    /// In points.
    pub(crate) width: f32,
    /// In points.
    pub(crate) height: f32,
    pub(crate) drawn: Group,
}

/// How a text looks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Style {
    pub size: f32,
    pub weight: Weight,
    pub colour: &'static str,
}

impl Style {
    pub(crate) const fn regular(size: f32) -> Self {
        Self {
            size,
            weight: Weight::Regular,
            colour: palette::INK,
        }
    }

    pub(crate) const fn quiet(size: f32) -> Self {
        Self {
            colour: palette::QUIET,
            ..Self::regular(size)
        }
    }

    pub(crate) const fn bold(size: f32) -> Self {
        Self {
            weight: Weight::SemiBold,
            ..Self::regular(size)
        }
    }

    pub(crate) fn width(self, text: &str) -> f32 {
        font::width(text, self.size, self.weight)
    }
}

/// Where a rectangle lies: left, top, width, height.
pub(crate) type Area = (f32, f32, f32, f32);

impl Page {
    /// A page of that size, white.
    pub(crate) fn new(width: f32, height: f32) -> Self {
        let page = Self {
            width,
            height,
            drawn: Group::new(),
        };
        page.rect((0.0, 0.0, width, height), "#ffffff", None)
    }

    fn with(mut self, node: impl svg::node::Node) -> Self {
        svg::node::Node::append(&mut self.drawn, node);
        self
    }

    /// Text that begins there.
    pub(crate) fn text(self, at: (f32, f32), style: Style, text: &str) -> Self {
        self.anchored(at, style, text, "start")
    }

    /// Text that ends there.
    pub(crate) fn text_end(self, at: (f32, f32), style: Style, text: &str) -> Self {
        self.anchored(at, style, text, "end")
    }

    /// Text around there.
    pub(crate) fn text_middle(self, at: (f32, f32), style: Style, text: &str) -> Self {
        self.anchored(at, style, text, "middle")
    }

    fn anchored(self, (x, y): (f32, f32), style: Style, text: &str, anchor: &str) -> Self {
        let text = Text::new(font::drawable(text))
            .set("x", rounded(x))
            .set("y", rounded(y))
            .set("font-family", format!("{FAMILY}, sans-serif"))
            .set("font-weight", style.weight.number())
            .set("font-size", rounded(style.size))
            .set("text-anchor", anchor)
            .set("fill", style.colour);
        self.with(text)
    }

    /// A filled rectangle; a title tells what it stands for.
    pub(crate) fn rect(self, area: Area, colour: &str, title: Option<&str>) -> Self {
        let mut rect = rectangle(area).set("fill", colour);
        if let Some(title) = title {
            rect = rect.add(Title::new(font::drawable(title)));
        }
        self.with(rect)
    }

    /// The edge of a rectangle.
    pub(crate) fn frame(self, area: Area, colour: &str) -> Self {
        let rect = rectangle(area).set("fill", "none").set("stroke", colour);
        self.with(rect.set("stroke-width", 0.75))
    }

    /// A straight line.
    pub(crate) fn line(self, from: (f32, f32), to: (f32, f32), colour: &str, thick: f32) -> Self {
        let line = Line::new()
            .set("x1", rounded(from.0))
            .set("y1", rounded(from.1))
            .set("x2", rounded(to.0))
            .set("y2", rounded(to.1))
            .set("stroke", colour)
            .set("stroke-width", thick);
        self.with(line)
    }

    /// A picture that was checked before.
    pub(crate) fn image(self, area: Area, address: &str) -> Self {
        let image = Image::new()
            .set("x", rounded(area.0))
            .set("y", rounded(area.1))
            .set("width", rounded(area.2))
            .set("height", rounded(area.3))
            .set("href", address);
        self.with(image)
    }

    /// What another package drew, at a place.
    pub(crate) fn drawing(self, (x, y): (f32, f32), drawing: &str) -> Self {
        let place = format!("translate({} {})", rounded(x), rounded(y));
        let group = Group::new()
            .set("transform", place)
            .add(svg::node::Blob::new(drawing));
        self.with(group)
    }
}

fn rectangle((x, y, width, height): Area) -> Rectangle {
    Rectangle::new()
        .set("x", rounded(x))
        .set("y", rounded(y))
        .set("width", rounded(width.max(0.0)))
        .set("height", rounded(height.max(0.0)))
}

/// Bytes together.
pub(crate) fn total(bytes: impl Iterator<Item = u64>) -> u64 {
    bytes.fold(0, u64::saturating_add)
}

/// A part of a whole.
pub(crate) fn share(part: u64, whole: u64) -> f32 {
    part as f32 / whole.max(1) as f32
}

/// Hundredths of a point are enough.
fn rounded(number: f32) -> f32 {
    (number * 100.0).round() / 100.0
}
