//! Whether a book is sound: its examples, how much of a home it reaches, and a home full of precious things.

pub(super) mod example;
pub(super) mod hostile_home;
pub(crate) mod reach;
mod usual;
