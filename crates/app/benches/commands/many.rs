//! Very many files, and very many piles.

use std::fmt::Write as _;
use std::path::Path;

use crate::alike::{Alike, build_caches};
use crate::image::MountedImage;
use crate::turns::{Contender, in_turn, run};
use crate::{Failure, Place, Wanted, clear};

/// The most files.
const MOST: usize = 10_000_000;

/// Accounts, and rules that look in each of them.
const ACCOUNTS: usize = 200;
const RULES: usize = 300;

pub(crate) fn measure(wanted: &Wanted, base: &Path) -> Result<(), Failure> {
    if wanted.wants("many files in memory") {
        match MountedImage::memory(base, MOST / wanted.share) {
            Ok(memory) => files(wanted, memory.path())?,
            Err(error) => println!("  not measured, {error}"),
        }
    }
    if wanted.wants("many accounts on tmpfs: 200 with 300 rules, of one with as many files") {
        accounts(wanted, base)?;
    }
    Ok(())
}

/// Each station of the road with more and more files: a file's time should stay what it is.
fn files(wanted: &Wanted, base: &Path) -> Result<(), Failure> {
    for files in [MOST / 100, MOST / 10, MOST] {
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

/// As many files in the homes of many as in one, with a rule for each of many programs.
fn accounts(wanted: &Wanted, base: &Path) -> Result<(), Failure> {
    let mut book = "rulebook = \"bench\"\nlayout = \"linux\"\n".to_owned();
    for rule in 0..RULES {
        write!(
            book,
            "[[rule]]\nid = \"app{rule:03}\"\ntitle = \"App\"\nclass = \"spent\"\nabout = \"a\"\n\
             after = \"b\"\nin = [\"{{cache}}/app{rule:03}\"]\n"
        )?;
    }
    let homes = |many: usize| -> Result<Place, Failure> {
        let place = Place {
            root: base.join(format!("homes-{many}")),
            state: tempfile::tempdir()?,
        };
        build_caches(&place.root, (1_000_000 / wanted.share, many, RULES))?;
        std::fs::write(place.state.path().join("bench.toml"), &book)?;
        Ok(place)
    };
    let (one, many) = (homes(1)?, homes(ACCOUNTS)?);
    let scan = |place: &Place| {
        let mut scan = place.broom("scan");
        scan.arg("--rulebook")
            .arg(place.state.path().join("bench.toml"));
        scan
    };
    in_turn(
        wanted.rounds,
        &[
            Contender {
                name: "scan, one account",
                prepare: &|| Ok(()),
                command: &|| scan(&one),
            },
            Contender {
                name: "scan, 200 accounts",
                prepare: &|| Ok(()),
                command: &|| scan(&many),
            },
        ],
    )?;
    clear(&one.root)?;
    clear(&many.root)
}
