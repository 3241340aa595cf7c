//! Whole commands as processes, in turn with the system's own tools for the same: `rm -rf`, `du -s`,
//! `find -printf`, `tar | zstd`.
//!
//! `cargo bench -p jolly-broom --bench commands` runs everything; `-- --quick` takes a tenth of the files,
//! `-- --only ext4` runs those whose name holds the word, `-- --rounds 9` measures so often. Trees lie in
//! `/dev/shm`, and in fresh file systems in images where this process may mount them; logs lie in the
//! folder for temporary files.

#![allow(
    clippy::print_stdout,
    reason = "a bench prints what it measured, and nobody else reads its output"
)]

mod alike;
mod image;
mod many;
mod turns;

use std::path::{Path, PathBuf};
use std::process::Command;

use alike::{Alike, build_packable};
use image::{FileSystem, MountedImage};
use turns::{Contender, in_turn};

/// How often each is measured.
const ROUNDS: usize = 5;

/// Somebody who isn't the runner.
const ADA: u32 = 1001;

type Failure = Box<dyn std::error::Error>;

/// What was asked for.
struct Wanted {
    only: Option<String>,
    /// Trees are so many times smaller.
    share: usize,
    rounds: usize,
}

impl Wanted {
    fn of_arguments() -> Result<Self, Failure> {
        let after = |word: &str| {
            let mut rest = std::env::args().skip_while(|argument| argument != word);
            rest.nth(1)
        };
        let is_quick = std::env::args().any(|argument| argument == "--quick");
        let rounds = after("--rounds").map_or(Ok(ROUNDS), |rounds| rounds.parse())?;
        Ok(Self {
            only: after("--only"),
            share: if is_quick { 10 } else { 1 },
            rounds,
        })
    }

    /// Whether anything is wanted that is measured on a volume.
    fn concerns(&self, volume: &str) -> bool {
        let names = ["sweep", "small sweep", "looks", "plan carried out"];
        let names = names.map(|what| format!("{what} on {volume}: "));
        let is_wanted = |only: &String| {
            names.iter().any(|name| name.contains(only.as_str())) || only.contains(volume)
        };
        self.only.as_ref().is_none_or(is_wanted)
    }

    /// Whether a bench is wanted; says its name when it is.
    fn wants(&self, name: &str) -> bool {
        let is_wanted = self
            .only
            .as_ref()
            .is_none_or(|only| name.contains(only.as_str()));
        if is_wanted {
            println!("\n{name}");
        }
        is_wanted
    }
}

fn main() -> Result<(), Failure> {
    let wanted = Wanted::of_arguments()?;
    let named = |base: &Path| {
        let mut builder = tempfile::Builder::new();
        builder.prefix("jolly-broom-bench-").tempdir_in(base)
    };
    let base = std::env::var_os("JOLLY_BROOM_BENCH").map_or("/dev/shm".into(), PathBuf::from);
    let memory = named(&base)?;
    let files = 200_000 / wanted.share;
    on_volume(&wanted, "tmpfs", memory.path(), files)?;
    for kind in [
        FileSystem::Ext4,
        FileSystem::Xfs,
        FileSystem::Btrfs,
        FileSystem::Ntfs,
    ] {
        // Through FUSE, each call is a message to a program.
        let files = if kind == FileSystem::Ntfs {
            20_000
        } else {
            100_000
        } / wanted.share;
        let folder = named(&std::env::temp_dir())?;
        if !wanted.concerns(kind.name()) {
            continue;
        }
        match MountedImage::mount(folder.path(), kind, 4 << 30) {
            Ok(image) => on_volume(&wanted, kind.name(), image.path(), files)?,
            Err(error) => println!("\n{}: not measured, {error}", kind.name()),
        }
    }
    if wanted.wants("set aside on tmpfs: 20,000 files of 4 KiB and 20 of 50 MiB") {
        set_aside(&wanted, memory.path())?;
    }
    many::measure(&wanted, memory.path())
}

/// Each command on one volume.
fn on_volume(wanted: &Wanted, volume: &str, base: &Path, files: usize) -> Result<(), Failure> {
    let own = Alike::empty(files, 50);
    let somebodys = Alike { owner: ADA, ..own };
    let small = Alike::empty(100, 50);
    let place = &Place {
        root: base.join("tree"),
        state: tempfile::tempdir()?,
    };
    for (what, tree) in [("own", own), ("somebody else's", somebodys)] {
        if wanted.wants(&format!(
            "sweep on {volume}: {files} files in {what} folders"
        )) {
            sweep(wanted, place, tree)?;
        }
    }
    if wanted.wants(&format!("small sweep on {volume}: 100 files")) {
        sweep(
            &Wanted {
                rounds: wanted.rounds * 4,
                only: None,
                share: 1,
            },
            place,
            small,
        )?;
    }
    let half = Alike {
        files: files.min(100_000),
        ..own
    };
    if wanted.wants(&format!("looks on {volume}: {} files", half.files)) {
        looks(wanted, place, half)?;
    }
    if wanted.wants(&format!(
        "plan carried out on {volume}: {} files",
        half.files
    )) {
        planned(wanted, place, half)?;
    }
    clear(&place.root)
}

/// Where a tree is built and what is known of it is kept.
pub(crate) struct Place {
    pub root: PathBuf,
    pub state: tempfile::TempDir,
}

impl Place {
    /// Our own command on the tree, at a moment in which all of it is old enough.
    pub(crate) fn broom(&self, command: &str) -> Command {
        let mut broom = Command::new(env!("CARGO_BIN_EXE_jolly-broom"));
        broom.args([command, "--quiet", "--no-progress"]);
        broom.args(["--now", "2100-01-01T00:00:00Z", "--target"]);
        broom.arg(&self.root).arg("--state").arg(self.state.path());
        broom
    }

    fn plan(&self) -> PathBuf {
        self.state.path().join("plan")
    }

    /// The tree as it was, and nothing of it waiting to be written.
    pub(crate) fn build(&self, tree: Alike) -> Result<(), Failure> {
        tree.build(&self.root)?;
        sync(&self.root)
    }

    fn in_tree(&self, program: &str, arguments: &[&str]) -> Command {
        let mut command = Command::new(program);
        command.args(arguments).arg(self.root.join("tmp"));
        command
    }
}

fn sync(folder: &Path) -> Result<(), Failure> {
    turns::run(Command::new("sync").arg("--file-system").arg(folder))?;
    Ok(())
}

pub(crate) fn clear(folder: &Path) -> Result<(), Failure> {
    turns::run(Command::new("rm").arg("-rf").arg(folder))?;
    Ok(())
}

fn sweep(wanted: &Wanted, place: &Place, tree: Alike) -> Result<(), Failure> {
    let prepare = || place.build(tree);
    let remove = || place.in_tree("rm", &["-rf"]);
    let sweep = || {
        let mut sweep = place.broom("sweep");
        sweep.arg("--yes");
        sweep
    };
    let contenders = [
        Contender {
            name: "rm -rf",
            prepare: &prepare,
            command: &remove,
        },
        Contender {
            name: "sweep",
            prepare: &prepare,
            command: &sweep,
        },
    ];
    in_turn(wanted.rounds, &contenders)
}

/// What only looks; the tree is built once.
fn looks(wanted: &Wanted, place: &Place, tree: Alike) -> Result<(), Failure> {
    place.build(tree)?;
    let as_is = || Ok(());
    let sums = || place.in_tree("du", &["-s"]);
    let scan = || place.broom("scan");
    let lists = || {
        let mut find = place.in_tree("find", &[]);
        find.args(["-printf", "%p %s %b %T@ %C@ %i %n\n"]);
        find
    };
    let plan = || {
        let mut preview = place.broom("preview");
        preview.arg("--plan").arg(place.plan());
        preview
    };
    let fresh = || clear(&place.plan());
    let rounds = wanted.rounds * 2;
    in_turn(
        rounds,
        &[
            Contender {
                name: "du -s",
                prepare: &as_is,
                command: &sums,
            },
            Contender {
                name: "scan",
                prepare: &as_is,
                command: &scan,
            },
        ],
    )?;
    in_turn(
        rounds,
        &[
            Contender {
                name: "find -printf",
                prepare: &as_is,
                command: &lists,
            },
            Contender {
                name: "preview --plan",
                prepare: &fresh,
                command: &plan,
            },
        ],
    )
}

/// A sweep against one of a plan that was made before.
fn planned(wanted: &Wanted, place: &Place, tree: Alike) -> Result<(), Failure> {
    let build = || place.build(tree);
    let build_and_plan = || {
        place.build(tree)?;
        clear(&place.plan())?;
        let mut preview = place.broom("preview");
        turns::run(preview.arg("--plan").arg(place.plan()))?;
        sync(&place.root)
    };
    let sweep = |plan: Option<PathBuf>| {
        let mut sweep = place.broom("sweep");
        sweep.arg("--yes");
        sweep.args(
            plan.map(|plan| [PathBuf::from("--plan"), plan])
                .into_iter()
                .flatten(),
        );
        sweep
    };
    in_turn(
        wanted.rounds,
        &[
            Contender {
                name: "sweep",
                prepare: &build,
                command: &|| sweep(None),
            },
            Contender {
                name: "sweep --plan",
                prepare: &build_and_plan,
                command: &|| sweep(Some(place.plan())),
            },
        ],
    )
}

/// A rule that sets all of it aside.
const SET_ASIDE: &str = "rulebook = \"bench\"\nlayout = \"linux\"\n[[rule]]\nid = \"all\"\n\
    title = \"All\"\nclass = \"ask\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{temp}\"]\n";

/// Packs the same files, by `tar | zstd -1 -T2` and by a sweep that sets aside.
fn set_aside(wanted: &Wanted, base: &Path) -> Result<(), Failure> {
    let place = Place {
        root: base.join("tree"),
        state: tempfile::tempdir()?,
    };
    let packed = place.state.path().join("bench.tar.zst");
    let book = place.state.path().join("bench.toml");
    std::fs::write(&book, SET_ASIDE)?;
    let prepare = || {
        clear(&packed)?;
        clear(&place.state.path().join("dustpans"))?;
        build_packable(&place.root, wanted.share)?;
        sync(place.state.path())
    };
    let pipe = || {
        let mut shell = Command::new("sh");
        let (root, packed) = (place.root.display(), packed.display());
        shell.args([
            "-c",
            &format!("tar -C '{root}' -cf - tmp | zstd -q -f -1 -T2 -o '{packed}'"),
        ]);
        shell
    };
    let sweep = || {
        let mut sweep = place.broom("sweep");
        sweep.args(["--yes", "--all", "--rulebook"]).arg(&book);
        sweep
    };
    in_turn(
        wanted.rounds,
        &[
            Contender {
                name: "tar | zstd -1 -T2",
                prepare: &prepare,
                command: &pipe,
            },
            Contender {
                name: "sweep",
                prepare: &prepare,
                command: &sweep,
            },
        ],
    )?;
    clear(&place.root)
}
