//! Trees, targets and runs for the tests of the core.

use std::collections::{BTreeSet, HashMap};
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::computer::{Dates, Layout, Target, TargetPath};
use jolly_core::decide::{Decisions, Selection};
use jolly_core::dustpan::{Dustpan, NewDustpan, Pan, PanItem};
use jolly_core::pile::{Question, Scan, ScanOrder, scan};
use jolly_core::plan::{Manifest, Outcome, make_manifest};
use jolly_core::rule::{RuleSet, builtin};
use jolly_core::run::{
    LogItem, Pause, Predictions, Real, RecoverError, RestoreOrder, RestoreSummary, RunContext,
    RunSummary, SameComputer, SweepError, SweepEvent, read_items, recover, restore, sweep,
};
use jolly_core::state::{Journal, RunId, StateFolder};
use jolly_demo::TreeBuilder;
use jolly_disk::{Disk, RealDisk};
use proptest::prelude::*;

/// The moment that all tests count from.
pub(crate) const NOW: i64 = 1_790_000_000;
pub(crate) const DAY: i64 = 86_400;

pub(crate) fn now() -> Timestamp {
    Timestamp::from_second(NOW).unwrap()
}

/// How far the calls of a disk lie apart at which something is tried, that are alike for long: each where there is time
/// for that.
pub(crate) fn stride() -> usize {
    let is_long = std::env::var_os("JOLLY_BROOM_LONG").is_some();
    if is_long { 1 } else { 3 }
}

/// A computer in a folder of its own, a state folder beside it, and the builder of its tree.
pub(crate) struct Bench {
    dir: tempfile::TempDir,
    pub(crate) tree: TreeBuilder,
    pub(crate) books: Vec<(String, String)>,
}

/// An ordinary person can't throw the demo's locked folder away as it stands.
impl Drop for Bench {
    fn drop(&mut self) {
        drop(jolly_demo::make_removable(&self.root()));
    }
}

impl Bench {
    /// A linux computer with one account, ada.
    pub(crate) fn new() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let tree = TreeBuilder::new(&dir.path().join("root"), NOW).unwrap();
        tree.text(
            "etc/passwd",
            "ada:x:1001:1001::/home/ada:/bin/sh\n",
            900 * DAY,
        )
        .unwrap();
        tree.folder("home/ada").unwrap();
        Self {
            dir,
            tree,
            books: vec![builtin(Layout::Linux)],
        }
    }

    /// A computer of a layout with nothing on it, under the book of its layout.
    pub(crate) fn bare(layout: Layout) -> Self {
        let dir = tempfile::tempdir().unwrap();
        let tree = TreeBuilder::new(&dir.path().join("root"), NOW).unwrap();
        Self {
            dir,
            tree,
            books: vec![builtin(layout)],
        }
    }

    /// The till computer of the demo.
    pub(crate) fn demo() -> Self {
        Self::of_demo(jolly_demo::DemoLayout::Linux, Layout::Linux)
    }

    /// A demo computer under the book of its layout.
    pub(crate) fn of_demo(demo: jolly_demo::DemoLayout, layout: Layout) -> Self {
        let dir = tempfile::tempdir().unwrap();
        let root = dir.path().join("root");
        jolly_demo::build(&root, demo, NOW).unwrap();
        let tree = TreeBuilder::new(&root, NOW).unwrap();
        Self {
            dir,
            tree,
            books: vec![builtin(layout)],
        }
    }

    /// The same computer under one rulebook of the test.
    pub(crate) fn with_book(mut self, rules: &str) -> Self {
        let text = format!("rulebook = \"mine\"\nlayout = \"linux\"\n{rules}");
        self.books = vec![("mine.toml".to_owned(), text)];
        self
    }

    /// Puts a file into the trash of ada, long ago, with the note that tells so.
    pub(crate) fn throw_away(&self, name: &str, bytes: u64) {
        let trash = "home/ada/.local/share/Trash";
        let note = format!("[Trash Info]\nPath={name}\nDeletionDate=2026-01-01T00:00:00\n");
        let (file, info) = (
            format!("{trash}/files/{name}"),
            format!("{trash}/info/{name}.trashinfo"),
        );
        self.tree.file(file, bytes, 60 * DAY).unwrap();
        self.tree.text(info, note, 60 * DAY).unwrap();
    }

    pub(crate) fn root(&self) -> PathBuf {
        self.dir.path().join("root")
    }

    /// The folder that holds all of it.
    pub(crate) fn folder(&self) -> &Path {
        self.dir.path()
    }

    pub(crate) fn outside(&self) -> PathBuf {
        self.dir.path().join("outside")
    }

    /// Whether the file system is known to keep the last change of folders.
    pub(crate) fn keeps_changes(&self) -> bool {
        let target = self.target();
        target.disk().keeps_changes(target.root())
    }

    pub(crate) fn state(&self) -> StateFolder {
        StateFolder::new(self.dir.path().join("state"))
    }

    pub(crate) fn target_on(&self, disk: Arc<dyn Disk>) -> Arc<Target> {
        let mut target = Target::open(disk, &self.root(), None, &|_| None).unwrap();
        // Trees of tests are dated by hand, as the demo's are.
        target.dates = Dates::Written;
        Arc::new(target)
    }

    pub(crate) fn target(&self) -> Arc<Target> {
        self.target_on(Arc::new(RealDisk))
    }

    /// The books compiled, once for all tests: a property scans some hundred computers under one book.
    pub(crate) fn rules(&self) -> Arc<RuleSet> {
        type Known = HashMap<Vec<(String, String)>, Arc<RuleSet>>;
        static KNOWN: LazyLock<Mutex<Known>> = LazyLock::new(Mutex::default);
        let compile = || Arc::new(RuleSet::compile(&self.books).unwrap());
        let mut known = KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
        Arc::clone(known.entry(self.books.clone()).or_insert_with(compile))
    }

    pub(crate) fn scan(&self) -> Scan {
        scan_on(&self.target(), &self.rules())
    }

    /// Every path below the root, sorted; links are told, not followed. A folder that is closed to whoever
    /// runs the tests is told without what is in it, as it is to the program.
    pub(crate) fn paths(&self) -> BTreeSet<Vec<u8>> {
        let mut found = BTreeSet::new();
        let root = self.root();
        let mut waiting = vec![root.clone()];
        while let Some(folder) = waiting.pop() {
            let entries = match std::fs::read_dir(&folder) {
                Err(error) if error.kind() == std::io::ErrorKind::PermissionDenied => continue,
                entries => entries.unwrap(),
            };
            for entry in entries {
                let entry = entry.unwrap();
                let path = entry.path();
                let below = path.strip_prefix(&root).unwrap();
                found.insert(below.as_os_str().as_bytes().to_vec());
                if entry.file_type().unwrap().is_dir() {
                    waiting.push(path);
                }
            }
        }
        found
    }
}

pub(crate) fn scan_on(target: &Arc<Target>, rules: &Arc<RuleSet>) -> Scan {
    scan(
        &ScanOrder::new(target, rules, now()),
        &CancelToken::default(),
        &|_| {},
    )
}

/// Brings back what the run "one" set aside, as far as it is wanted.
pub(crate) fn bring_back(
    bench: &Bench,
    scan: &Scan,
    wanted: &dyn Fn(&PanItem) -> bool,
) -> RestoreSummary {
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
    let order = RestoreOrder {
        state: &bench.state(),
        pan: &pan,
        target: &scan.target,
        when: now(),
        same: SameComputer::MustBeKnown,
    };
    restore(&order, wanted, &CancelToken::default(), &|_, _| {}).unwrap()
}

/// Everything that the rules take, and with `all` also what starts left.
pub(crate) fn manifest_of(scan: &Scan, all: bool) -> Manifest {
    let selection = Selection {
        takes_all: all,
        ..Selection::default()
    };
    make_manifest(scan, &Decisions::new(scan, &selection).unwrap())
}

/// What is on a list and has a name of its own on the disk.
pub(crate) fn paths_of(manifest: &Manifest) -> BTreeSet<Vec<u8>> {
    manifest
        .items
        .iter()
        .filter(|item| item.entry.is_none())
        .map(|item| item.path.as_bytes().to_vec())
        .collect()
}

/// What a path of a scanned target is asked about.
pub(crate) fn asking(scan: &Scan) -> Question<'_> {
    Question {
        target: &scan.target,
        rules: &scan.rules,
        searches: &scan.searches,
        guards: &scan.guards,
        now: now(),
    }
}

pub(crate) fn context(scan: &Scan) -> RunContext<'_> {
    RunContext {
        target: &scan.target,
        rules: &scan.rules,
        searches: &scan.searches,
        own: &[],
        excluded: &[],
        rules_off: &[],
    }
}

/// Sweeps for real, with a journal and a dustpan in the bench's state folder.
pub(crate) fn run(
    bench: &Bench,
    scan: &Scan,
    manifest: &Manifest,
    name: &str,
    cancel: &CancelToken,
) -> Result<RunSummary, SweepError> {
    run_with(bench, scan, manifest, (name, None, None), cancel)
}

/// The same after a rehearsal.
pub(crate) fn run_predicted(
    bench: &Bench,
    scan: &Scan,
    manifest: &Manifest,
    predictions: Option<&Predictions>,
) -> Result<RunSummary, SweepError> {
    let never = CancelToken::default();
    run_with(
        bench,
        scan,
        manifest,
        ("predicted", None, predictions),
        &never,
    )
}

/// The same, with the dustpan in another folder.
pub(crate) fn run_into(
    bench: &Bench,
    scan: &Scan,
    manifest: &Manifest,
    name: &str,
    folder: Option<&Path>,
) -> Result<RunSummary, SweepError> {
    run_with(
        bench,
        scan,
        manifest,
        (name, folder, None),
        &CancelToken::default(),
    )
}

/// The same, held or let go on by somebody else, who hears how far it is.
pub(crate) fn run_held(
    bench: &Bench,
    scan: &Scan,
    manifest: &Manifest,
    pause: &Pause,
    sink: &dyn Fn(SweepEvent),
) -> Result<RunSummary, SweepError> {
    let mut journal = Journal::create(&bench.state(), &run_id("held")).unwrap();
    let new = NewDustpan {
        run: &run_id("held"),
        started: now(),
        target: &scan.target,
        folder: None,
    };
    let mut dustpan = Dustpan::create(&bench.state(), &new).unwrap();
    let state = bench.state();
    let real = Real {
        run: &run_id("held"),
        state: &state,
        journal: &mut journal,
        dustpan: Some(&mut dustpan),
        started: now(),
        pause: pause.clone(),
        predictions: None,
    };
    let (confirmed, never) = (manifest.clone().confirm(), CancelToken::default());
    sweep(&context(scan), &confirmed, real, &never, &now, sink)
}

fn run_with(
    bench: &Bench,
    scan: &Scan,
    manifest: &Manifest,
    (name, folder, predictions): (&str, Option<&Path>, Option<&Predictions>),
    cancel: &CancelToken,
) -> Result<RunSummary, SweepError> {
    let mut journal = Journal::create(&bench.state(), &run_id(name)).unwrap();
    let new = NewDustpan {
        run: &run_id(name),
        started: now(),
        target: &scan.target,
        folder,
    };
    let mut dustpan = Dustpan::create(&bench.state(), &new).unwrap();
    let state = bench.state();
    let mode = Real {
        run: &run_id(name),
        state: &state,
        journal: &mut journal,
        dustpan: Some(&mut dustpan),
        started: now(),
        pause: Pause::default(),
        predictions,
    };
    let confirmed = manifest.clone().confirm();
    let summary = sweep(&context(scan), &confirmed, mode, cancel, &now, &|_| {});
    let finished = dustpan.finish();
    assert!(folder.is_some() || finished.is_ok(), "{finished:?}");
    summary
}

/// The paths that the log of a run tells as gone from the target.
pub(crate) fn logged_as_gone(bench: &Bench, run: &str) -> BTreeSet<Vec<u8>> {
    let items = read_items(&bench.state(), &run_id(run)).unwrap();
    let is_gone =
        |item: &&LogItem| matches!(item.outcome, Some(Outcome::Removed | Outcome::SetAside));
    items
        .iter()
        .filter(is_gone)
        .map(|item| {
            TargetPath::try_from(&item.place.path)
                .unwrap()
                .as_bytes()
                .to_vec()
        })
        .collect()
}

/// A program that has a file open until it is let go of.
pub(crate) struct Program(std::process::Child);

impl Program {
    pub(crate) fn holding(path: &Path) -> Self {
        let file = std::fs::File::open(path).unwrap();
        let mut command = std::process::Command::new("sleep");
        Self(command.arg("600").stdin(file).spawn().unwrap())
    }

    pub(crate) fn id(&self) -> u32 {
        self.0.id()
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        self.0.kill().ok();
        self.0.wait().ok();
    }
}

/// One thing of a made-up tree.
#[derive(Clone, Debug)]
pub(crate) enum Thing {
    File {
        kib: u64,
        days: i64,
    },
    Link {
        out: bool,
        days: i64,
    },
    /// A second name of the file made before it.
    Twin,
    Folder,
}

/// Names that trees are made of, the hostile among them.
fn names() -> impl Strategy<Value = Vec<u8>> {
    let plain = prop::sample::select(vec![
        &b"a"[..],
        b"b.tmp",
        b"cache.bin",
        b"logins.json",
        b"x.key",
        b"photo.png",
        b"old.log.1",
        b"pack.deb",
        b".ssh",
        b"Mail",
        b"line\nbreak",
        b"\x1b[31m",
        b"bad-\xff\xfe",
        b"..hidden",
        b"thumbnails",
        b"Default",
        b"info",
        b"files",
    ]);
    plain.prop_map(<[u8]>::to_vec)
}

/// Places that rules look at, and some that they don't.
fn folders() -> impl Strategy<Value = &'static str> {
    prop::sample::select(vec![
        "tmp",
        "var/tmp",
        "var/log",
        "var/cache/apt/archives",
        "home/ada/.cache",
        "home/ada/.cache/thumbnails/large",
        "home/ada/Downloads",
        "home/ada/Documents",
        "home/ada/.local/share",
        "home/ada/.ssh",
        "usr/lib",
        "home/ada",
        "var/crash",
    ])
}

/// A tree: where, the names on the way down, and what.
pub(crate) fn arb_tree() -> impl Strategy<Value = Vec<(&'static str, Vec<Vec<u8>>, Thing)>> {
    let thing = prop_oneof![
        6 => (0_u64..40, 0_i64..800).prop_map(|(kib, days)| Thing::File { kib, days }),
        1 => (any::<bool>(), 0_i64..800).prop_map(|(out, days)| Thing::Link { out, days }),
        2 => Just(Thing::Twin),
        1 => Just(Thing::Folder),
    ];
    let one = (folders(), prop::collection::vec(names(), 1..4), thing);
    prop::collection::vec(one, 0..40)
}

/// Builds a made-up tree; what doesn't fit, such as a file where a folder is, is left out.
pub(crate) fn build(bench: &Bench, tree: &[(&'static str, Vec<Vec<u8>>, Thing)]) {
    std::fs::create_dir_all(bench.outside()).unwrap();
    std::fs::write(bench.outside().join("precious"), b"stays").unwrap();
    let mut last_file: Option<Vec<u8>> = None;
    for (folder, names, thing) in tree {
        let path = [folder.as_bytes().to_vec(), names.join(&b'/')].join(&b'/');
        let whole = bench.tree.path(&path);
        if whole.symlink_metadata().is_ok() || leads_through_a_link(&bench.root(), &whole) {
            continue;
        }
        let made = match thing {
            Thing::File { kib, days } => {
                let made = bench.tree.file(&path, kib * 1024, days * DAY).map(drop);
                if made.is_ok() {
                    last_file = Some(path.clone());
                }
                made
            }
            Thing::Link { out: true, days } => bench.tree.link(&path, &bench.outside(), days * DAY),
            Thing::Link { out: false, days } => bench.tree.link(&path, Path::new("a"), days * DAY),
            Thing::Twin => match &last_file {
                Some(of) => bench.tree.hard_link(of, &path),
                None => Ok(()),
            },
            Thing::Folder => bench.tree.folder(&path).map(drop),
        };
        // A name that is a file already can't be a folder on the way to another one.
        drop(made);
    }
}

fn leads_through_a_link(root: &Path, path: &Path) -> bool {
    let mut at = path.parent();
    while let Some(folder) = at.filter(|folder| folder.starts_with(root)) {
        if folder.is_symlink() {
            return true;
        }
        at = folder.parent();
    }
    false
}

/// Whether a program, called with some arguments and a path, ends well.
pub(crate) fn succeeds(command: &str, arguments: &[&str], path: &Path) -> bool {
    let ended = std::process::Command::new(command)
        .args(arguments)
        .arg(path)
        .output();
    ended.is_ok_and(|ended| ended.status.success())
}

/// Leaves a log as a death does: what was intended, and nothing of what became of it.
pub(crate) fn keep_intents(bench: &Bench, run: &str) {
    let log = bench.state().log(&run_id(run));
    let text = std::fs::read_to_string(&log).unwrap();
    let intents = text.lines().take_while(|line| !line.contains("\"done\""));
    let kept: Vec<&str> = intents.collect();
    std::fs::write(&log, kept.join("\n") + "\n").unwrap();
}

/// The id of a run that a test names.
pub(crate) fn run_id(name: &str) -> RunId {
    name.parse().unwrap()
}

/// What the dustpan holds, taken out by the programs that anybody has.
pub(crate) fn unpacked(bench: &Bench) -> Vec<Vec<u8>> {
    let folder = tempfile::tempdir().unwrap();
    let archives = walk(&bench.state().dustpan_folder());
    let archive = archives
        .into_iter()
        .find(|path| path.to_string_lossy().ends_with(".tar.zst"));
    let done = std::process::Command::new("tar")
        .args(["--zstd", "-xf"])
        .arg(archive.unwrap())
        .arg("-C")
        .arg(folder.path())
        .status();
    assert!(done.unwrap().success());
    walk(folder.path())
        .into_iter()
        .map(|path| std::fs::read(path).unwrap())
        .collect()
}

fn walk(root: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(root).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            found.extend(walk(&path));
        } else {
            found.push(path);
        }
    }
    found
}

/// Has a run end without a word of what became of anything, and settles it: as one that died.
pub(crate) fn settle_as_dead(bench: &Bench, name: &str) {
    let log = bench.state().log(&run_id(name));
    let told = std::fs::read_to_string(&log).unwrap();
    let intents = told.lines().take_while(|line| !line.contains("\"done\""));
    let intents: Vec<&str> = intents
        .filter(|line| !line.contains("\"finish\""))
        .collect();
    std::fs::write(&log, intents.join("\n") + "\n").unwrap();
    let target = bench.target();
    let known = (&*target, SameComputer::MustBeKnown);
    // A child of another test may hold the lock until it is its own program.
    for _ in 0..100 {
        match recover(&bench.state(), &run_id(name), known, now()) {
            Err(RecoverError::UnderWay { .. }) => {
                std::thread::sleep(std::time::Duration::from_millis(20));
            }
            settled => {
                settled.unwrap();
                return;
            }
        }
    }
    panic!("the lock of {name} stays held");
}
