//! Text that is shown or written: made harmless, and as ids with rules of their own.

mod json;
mod printable;
pub(crate) mod text_id;
mod words;

pub(crate) use json::harmless_json;
pub use json::{json_text, write_json};
pub use printable::{Printable, is_harmless};
pub use words::{age, bytes, count, counted};
