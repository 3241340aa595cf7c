//! The demo computers: the till (linux), the office notebook (windows) and the yard dock (macos); and what tests need: trees and faulty disks.
//!
//! Everything in here is made up. What is built is the same every time, but for the ages, which
//! count from the moment of building.

mod browsing;
mod build;
mod contents;
mod copies;
mod examples;
mod extensions;
mod faulty;
mod growth;
mod hive;
mod macos;
mod media;
mod people;
mod profiles;
mod program;
mod programs;
mod recent;
mod references;
mod skipped;
mod system;
mod tree;
mod windows;

pub use browsing::{
    MadeCookie, MadeVisit, make_chromium_cookies, make_chromium_history, make_chromium_icons,
    make_chromium_shortcuts, make_gecko_cookies, make_gecko_icons, make_gecko_places,
};
pub use build::{DemoError, DemoLayout, build, build_examples, built_in, make_removable};
pub use faulty::{Fault, FaultyDisk};
pub use growth::{MOST_WEEKS, grow};
pub use media::{SongTags, flac, jpeg, mp3};
pub use program::Program;
pub use recent::{FIXED_DISK, shell_link};
pub use skipped::skipped;
pub use tree::TreeBuilder;
