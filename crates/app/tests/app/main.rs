//! The program itself: the real binary, on the command line and in a real terminal.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::too_many_lines,
    clippy::string_slice,
    clippy::print_stdout,
    reason = "a test that can't go on says so, and tells its story in one piece"
)]

mod agreement;
mod attacks;
mod bad_input;
mod command_line;
mod interface;
mod keeping;
mod ordinary_person;
mod packages;
mod sheets;
mod support;
mod terminal;
mod trust;
mod volumes;
