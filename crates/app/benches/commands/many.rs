//! Very many files, and very many piles.

use std::path::Path;

use crate::alike::Alike;
use crate::turns::run;
use crate::{Failure, Place, Wanted, clear};

/// Each station of the road with more and more files: a file's time should stay what it is.
pub(crate) fn measure(wanted: &Wanted, base: &Path) -> Result<(), Failure> {
    if !wanted.wants("many files on tmpfs") {
        return Ok(());
    }
    for files in [100_000, 1_000_000, 10_000_000] {
        let files = files / wanted.share;
        let place = Place {
            root: base.join("tree"),
            state: tempfile::tempdir()?,
        };
        place.build(Alike::empty(files, 50))?;
        let plan = place.state.path().join("plan");
        for station in ["scan", "preview", "sweep"] {
            let mut command = place.broom(station);
            match station {
                "preview" => command.arg("--plan").arg(&plan),
                "sweep" => command.arg("--yes"),
                _ => &mut command,
            };
            let took = run(&mut command)?;
            println!(
                "  {files:>10} files   {station:<8} {:8.2} s  {:7.0} ns a file  {:6.0} MiB at peak",
                took.time.as_secs_f64(),
                took.time.as_secs_f64() * 1e9 / files as f64,
                took.peak as f64 / f64::from(1 << 20),
            );
        }
        clear(&place.root)?;
    }
    Ok(())
}
