//! Tests that this machine can't run: nobody should take them for passed ones.

use std::fs::OpenOptions;
use std::io::Write as _;

/// Names the file in which skipped tests are counted.
const COUNTED_IN: &str = "JOLLY_BROOM_SKIPPED";

/// Says that a test was not run, past the capture of whoever runs it, and has it counted at the end.
///
/// # Panics
/// When it can't be counted.
pub fn skipped(why: &str) {
    let told = format!("SKIPPED: {why}\n");
    // Nobody is left to tell when the error output is gone.
    drop(std::io::stderr().write_all(format!("\n{told}").as_bytes()));
    if let Some(path) = std::env::var_os(COUNTED_IN) {
        let file = OpenOptions::new().create(true).append(true).open(path);
        let written = file.and_then(|mut file| file.write_all(told.as_bytes()));
        assert!(
            written.is_ok(),
            "a skipped test can't be counted: {written:?}"
        );
    }
}
