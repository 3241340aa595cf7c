//! Sheets of ISO 216 A4 that are filled from the top down, under the shop's header.

use crate::canvas::{Page, Style};
use crate::customer::Header;
use crate::font::cut;

const WIDTH: f32 = 595.28;
pub(crate) const HEIGHT: f32 = 841.89;
pub(crate) const LEFT: f32 = 52.0;
pub(crate) const RIGHT: f32 = WIDTH - 52.0;
const BOTTOM: f32 = HEIGHT - 57.0;

const DETAIL: Style = Style::quiet(8.5);

/// The sheets that are full, and the one that is being filled.
pub(crate) struct Sheet {
    done: Vec<Page>,
    page: Page,
    /// Where the next thing is drawn.
    pub(crate) top: f32,
}

impl Sheet {
    /// The first one, with its header.
    pub(crate) fn new(header: &Header) -> Self {
        let mut sheet = Self {
            done: Vec::new(),
            page: Page::new(WIDTH, HEIGHT),
            top: 40.0,
        };
        draw_header(&mut sheet, header);
        sheet
    }

    /// Draws on the one that is being filled.
    pub(crate) fn draw(&mut self, with: impl FnOnce(Page) -> Page) {
        let page = std::mem::replace(&mut self.page, Page::new(0.0, 0.0));
        self.page = with(page);
    }

    /// Turns to a new one where so much doesn't fit any more.
    pub(crate) fn make_room(&mut self, needed: f32) {
        if self.top + needed > BOTTOM {
            let next = Page::new(WIDTH, HEIGHT);
            self.done.push(std::mem::replace(&mut self.page, next));
            self.top = 64.0;
        }
    }

    /// All of them.
    pub(crate) fn pages(mut self) -> Vec<Page> {
        self.done.push(self.page);
        self.done
    }
}

/// The shop: its picture at the left, its name and lines at the right.
fn draw_header(sheet: &mut Sheet, header: &Header) {
    const TALL: f32 = 46.0;
    let lines = header.lines.iter().take(3);
    let lines: Vec<&String> = lines.collect();
    if header.name.is_empty() && header.picture.is_none() && lines.is_empty() {
        return;
    }
    let top = sheet.top;
    let mut left = LEFT;
    if let Some(picture) = &header.picture {
        let width = (TALL * picture.shape).min(170.0);
        let height = width / picture.shape;
        let area = (LEFT, top + (TALL - height) / 2.0, width, height);
        sheet.draw(|page| page.image(area, &picture.address));
        left += width + 14.0;
    }
    let name = Style::bold(14.0);
    let half = (RIGHT - left) * 0.6;
    let says = cut(&header.name, half, name.size, name.weight);
    sheet.draw(|page| page.text((left, top + TALL / 2.0 + 5.0), name, &says));
    let rest = RIGHT - left - name.width(&says) - 14.0;
    let first = top + TALL / 2.0 + 3.0 - 6.0 * (lines.len() as f32 - 1.0);
    for (at, line) in (0_u8..).zip(lines) {
        let says = cut(line, rest, DETAIL.size, DETAIL.weight);
        let down = first + 12.0 * f32::from(at);
        sheet.draw(|page| page.text_end((RIGHT, down), DETAIL, &says));
    }
    sheet.top += TALL + 14.0;
}
