//! What can happen, and what can be asked for.

mod export;
mod packing;
mod upkeep;
mod wipe;

pub(super) use export::{Export, ExportFailure, ExportNews};
pub(super) use packing::{PackOrder, PackingNews};
pub(super) use upkeep::UpkeepNews;
pub(super) use wipe::{WipeNews, WipeOrder};

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jolly_core::CancelToken;
use jolly_core::chores::{Chore, ChoreEnd};
use jolly_core::computer::{TargetPath, Volume};
use jolly_core::decide::{
    Arrangement, Choice, Decisions, EntryId, Excluded, Exclusion, ExclusionError, Inside,
    InsideOrder, Others, Reach, Scope, Selection, Spares, Starts, copies_that_go,
};
use jolly_core::dustpan::Pan;
use jolly_core::host::{RunningProgram, UnmountedVolume};
use jolly_core::pile::Scan;
use jolly_core::plan::Manifest;
use jolly_core::report::take_up;
use jolly_core::run::{
    CommandEnd, LeftOver, LogSummary, Predictions, Rehearsed, RestoreSummary, RunSummary,
    SweepEvent,
};
use jolly_core::source::PileId;
use jolly_core::state::{Decided, RunId, VisitLook, VisitRun, VisitScan};
use jolly_core::survey::{
    ChosenCopy, CopyNews, Sites, Snapshots, Space, Uninstall, Unwanted, Versions,
};
use jolly_core::walk::{ScanEvent, TreeNews};
use ratatui::crossterm::event::{KeyEvent, MouseEvent};

use crate::exit::Refusal;
use crate::new_file::Existing;
use crate::place::PlaceChange;
use crate::session::Session;
use crate::startup::StartList;
use crate::tui::model::{
    Arrived, Check, CheckList, DustpanRun, Holders, KnownCopies, KnownPrograms, Origin,
    PackSubject, Subject,
};
use crate::tui::slots::Kind;
use crate::wording::counted_copies;

/// Something that happened.
pub(super) enum Msg {
    /// Nothing that shows.
    Nothing,
    /// The terminal has so many columns and rows.
    Resized(u16, u16),
    /// The terminal is gone, or the system asked the program to end.
    Ended,
    /// A key was pressed.
    Key(KeyEvent),
    /// The mouse did something.
    Mouse(MouseEvent),
    /// Text was pasted.
    Pasted(String),
    /// The computers on the bench, and the volumes that aren't mounted.
    Found(Vec<(PathBuf, Origin)>, Vec<UnmountedVolume>),
    /// A first look at one of them has ended.
    Arrived(PathBuf, Result<Box<Arrived>, String>),
    /// Folders that begin as what was typed.
    Completed(String, Vec<String>),
    /// What is said of a path, and the rule that decided, by position.
    Explained(String, Option<usize>),
    /// The job sheet is kept, or not.
    Kept(Result<(), String>),
    /// News of a scan.
    Scanning(u32, ScanEvent),
    /// The computer that the options name has been opened, or can't be.
    Opened(Box<Result<Opened, Refusal>>),
    /// A scan has ended, or why it could not.
    Scanned(u32, Result<Box<Scanned>, String>),
    /// Who holds which items of a scan.
    Held(Arc<Scan>, Holders),
    /// A pile has been opened; nothing when that broke off.
    LookedInside(u32, Option<(Arc<Inside>, Arc<Arrangement>)>),
    /// What was looked for inside a pile, if it is there.
    FoundInside(u32, Option<EntryId>),
    /// What lies in a folder of an opened pile and is not of the pile.
    Others(u32, EntryId, Others),
    /// What a draft of an exclusion would spare, and whether that is everything.
    Reckoned(u32, Result<(Arc<Reach>, bool), String>),
    /// The part of the list that holds some words; nothing when that broke off.
    Narrowed(u32, Option<Box<CheckList>>),
    /// What web sites left in the browsers of a scanned computer.
    SitesRead(Arc<Scan>, Arc<Sites>),
    /// What programs of a scanned computer occupy.
    ProgramsRead(Arc<Scan>, Arc<KnownPrograms>),
    /// News of where the space of a scanned computer is.
    Space(Arc<Scan>, SpaceNews),
    /// What a package manager would remove, or why it can't be asked and what can be done.
    ManagerAnswered(Result<Box<Uninstall>, (String, &'static str)>),
    /// What a command wrote to its terminal.
    CommandWrote(Vec<u8>),
    /// A command has ended, or didn't begin.
    CommandEnded(Result<CommandEnd, String>),
    /// What sites that are to be kept spare.
    SitesSpared(Arc<Scan>, Spared),
    /// A program that was asked to close has closed, or not.
    Closed(u32, Result<String, String>),
    /// The computer's own rulebook was changed, and it has new rules; or why not.
    PlacesChanged(Box<Result<Opened, String>>),
    /// The manifest of the decisions is made.
    Listed(u32, Option<Box<Check>>),
    /// A rehearsal has ended.
    Rehearsed(u32, Result<Box<Rehearsed>, String>),
    /// The list was written to a file, or not.
    Saved(Result<PathBuf, String>),
    /// News of what starts by itself.
    Startup(StartupNews),
    /// News of what is exported.
    Exporting(ExportNews),
    /// The restore point of a run was let go of; with what is free now, or why not.
    PointGone(Result<u64, String>),
    /// News of something that is packed or rescued.
    Packing(PackingNews),
    /// News of chores.
    Upkeep(UpkeepNews),
    /// News of something that is written over.
    Wiping(WipeNews),
    /// What the dustpans hold.
    Dustpans(Dustpans),
    /// What the logs of earlier runs tell.
    Runs(Runs),
    /// Something was brought back, or not.
    BroughtBack(Result<RestoreSummary, String>),
    /// A dustpan was emptied, or not.
    PanEmptied(Result<u64, String>),
    /// News of a sweep.
    Sweeping(SweepEvent),
    /// A sweep has ended.
    Swept(Result<Box<SweptRun>, String>),
}

/// What is known of where the space is.
pub(super) enum SpaceNews {
    /// How far the walk of everything is.
    Walked(TreeNews),
    /// Everything was walked; nothing when that broke off.
    Found(Option<Arc<Space>>),
    /// What snapshots hold.
    Snapshots(Snapshots),
    /// How far the look for copies is.
    Compared(CopyNews),
    /// Which files are there twice; nothing when that broke off.
    Copies(Option<Arc<KnownCopies>>),
    /// What is there in several versions; nothing when that broke off.
    Versions(Option<Arc<Versions>>),
}

/// What is asked of where the space is; what was walked already isn't walked again.
pub(super) enum SpaceQuestion {
    /// Walk everything and add it up.
    Walk(Option<Arc<Session>>),
    /// What the snapshots that the walk left apart hold.
    Snapshots(Arc<Space>),
    /// Which files are there twice.
    Copies(Option<Arc<Space>>, Option<Arc<Session>>),
    /// Which recordings and pictures are there in several versions.
    Versions(Arc<Space>),
}

impl SpaceQuestion {
    /// Of what kind it is, and what is said when it can't be answered.
    pub(super) fn kind(&self) -> (Kind, SpaceNews) {
        match self {
            Self::Walk(_) => (Kind::Space, SpaceNews::Found(None)),
            Self::Snapshots(_) => {
                let nothing = SpaceNews::Snapshots(Snapshots::default());
                (Kind::Snapshots, nothing)
            }
            Self::Copies(..) => (Kind::Copies, SpaceNews::Copies(None)),
            Self::Versions(_) => (Kind::Versions, SpaceNews::Versions(None)),
        }
    }
}

/// Exclusions with what they spare, or why there are none.
pub(super) type Spared = Result<Vec<Excluded>, String>;

/// A run that has ended, with what it left behind.
pub(super) struct SweptRun {
    pub run: RunId,
    pub ended: Timestamp,
    pub summary: RunSummary,
    pub left: Option<LeftOver>,
    /// The restore point that was made before it.
    pub point: Option<TargetPath>,
    /// What came of the chores that followed it.
    pub chores: Vec<ChoreEnd>,
}

/// What the dustpans hold.
#[derive(Default)]
pub(super) struct Dustpans {
    pub runs: Vec<DustpanRun>,
    /// Records that can't be read, in words.
    pub broken: Vec<String>,
}

/// What the logs of earlier runs tell.
#[derive(Default)]
pub(super) struct Runs {
    /// The newest first.
    pub runs: Vec<LogSummary>,
    /// Logs that can't be read, in words.
    pub broken: Vec<String>,
}

/// A computer that has been opened.
pub(super) struct Opened {
    pub session: Session,
    pub selection: Selection,
    pub volume: Volume,
    /// What was settled then, in words.
    pub notes: Vec<String>,
}

/// A scan to do.
pub(super) struct ScanJob {
    pub job: u32,
    pub session: Arc<Session>,
    pub selection: Selection,
    /// The scan before, to take from it what has not changed.
    pub before: Option<Arc<Scan>>,
    /// What was decided about it, to go on with.
    pub decided: Option<(Arc<Scan>, Decisions)>,
    /// What a run left behind, which alone is to be taken.
    pub only: Option<LeftOver>,
    /// Copies that were chosen to go, and whether that was just now: then they are taken.
    pub copies: (Arc<[ChosenCopy]>, bool),
}

/// A scan that has ended, with what is decided about it.
pub(super) struct Scanned {
    pub scan: Arc<Scan>,
    pub decisions: Decisions,
    /// The day of the scan.
    pub today: Date,
    /// Of what a run left behind: how many were found, of how many.
    pub only: Option<(u64, u64)>,
    /// Whether what is set aside stays on the computer's own volume.
    pub is_dustpan_on_target: bool,
    /// How many piles stand as they were left before at this visit.
    pub taken_up: usize,
}

impl Scanned {
    /// Takes what a run left behind, and nothing else.
    pub(super) fn take_only(&mut self, left: &LeftOver) {
        let what = format!("only what run {} left", left.run);
        let found = self.decisions.take_only(&self.scan, &what, &left.paths);
        self.only = Some((found as u64, left.paths.len() as u64));
    }

    /// Takes the copies that were just chosen; those that were chosen before and aren't any more have no pile.
    pub(super) fn take_copies(&mut self) {
        let goes = copies_that_go(&self.scan);
        let many = goes.found.items;
        let what = format!("{} chosen to go", counted_copies(many));
        let scan = Arc::clone(&self.scan);
        self.decisions
            .choose_all(&scan, &what, &goes.nodes, Choice::Take);
    }

    /// Goes on with what was decided before at this visit.
    pub(super) fn take_up(&mut self, decided: &[Decided]) {
        self.taken_up = take_up(&self.scan, &mut self.decisions, decided);
    }

    /// Decides about a scan as the selection recommends, or goes on with what was decided before.
    /// `kept` is what the files exclude now: what somebody wrote into them meanwhile counts, too.
    pub(super) fn of(
        scan: Scan,
        selection: &Selection,
        kept: &[Exclusion],
        decided: Option<&(Arc<Scan>, Decisions)>,
    ) -> Result<Self, ExclusionError> {
        let mut decisions = Decisions::new(&scan, selection)?;
        if let Some((before, decided)) = decided {
            decisions = decisions.carry_on(&scan, decided, before);
        }
        let mut all = decisions.exclusions().to_vec();
        let known = all.len();
        // What was deleted or undone here may not have left its file yet.
        for one in kept
            .iter()
            .filter(|one| !decisions.was_ever_excluded(&one.spares))
        {
            all.push(Excluded::find(&scan, one.clone())?);
        }
        if all.len() > known {
            decisions.exclude(&scan, "excluded in the files meanwhile", all);
        }
        Ok(Self {
            today: scan.now.to_zoned(TimeZone::system()).date(),
            scan: Arc::new(scan),
            decisions,
            only: None,
            is_dustpan_on_target: false,
            taken_up: 0,
        })
    }
}

/// Something looked for inside a pile.
pub(super) struct InsideSearch {
    pub scan: Arc<Scan>,
    pub inside: Arc<Inside>,
    pub arrangement: Arc<Arrangement>,
    /// The entry that it goes on from.
    pub from: Option<EntryId>,
    pub text: String,
}

/// A sweep to do: exactly the list that was on the screen.
pub(super) struct SweepOrder {
    pub session: Arc<Session>,
    pub scan: Arc<Scan>,
    pub manifest: Arc<Manifest>,
    /// What a rehearsal of this list predicted.
    pub predictions: Option<Arc<Predictions>>,
    /// Whether a restore point is made first.
    pub makes_point: bool,
    /// The chores that follow it.
    pub chores: Vec<Chore>,
}

/// Something that is remembered.
pub(super) enum Keeping {
    /// The rules that are turned off for the computer.
    RulesOff(BTreeSet<String>),
    /// What is excluded: before, and now.
    Exclusions(Vec<Exclusion>, Vec<Exclusion>),
    /// How the shop starts: before, and now.
    Starts(Starts, Starts),
    /// Where a name belongs: on which computers, to which program, and the name.
    Belongs(Scope, String, String),
    /// Two folders that are meant to be the same, or not any more.
    MeantTheSame(String, String, bool),
    /// What this person has done, by the names of the stations.
    Done(Vec<String>),
    /// What a first look and a scan of this visit told.
    Visit(Box<VisitLook>, Box<VisitScan>),
    /// What is decided at this visit.
    Decided(Vec<Decided>),
    /// What a run of this visit did, and what was decided for it.
    Run(Box<VisitRun>, Vec<Decided>),
}

/// Something that a thread has to do.
pub(super) enum Effect {
    /// Look about on the bench and on its computers.
    Lookup(Lookup),
    /// Answer a question about what was scanned.
    Question(Question),
    /// Write, bring back or empty something.
    Files(FileWork),
    /// Scan, list, rehearse or sweep; or hold or stop it.
    Run(RunWork),
    /// Keep something; one after the other, in the order in which it was asked for.
    Keep(Arc<Session>, Keeping),
    /// Change the computer's own rulebook.
    ChangePlaces(Arc<Session>, PlaceChange),
    /// Let go of something large; that takes its time, too.
    LetGo(Box<dyn std::any::Any + Send>),
}

/// What is looked up on the bench and on its computers.
pub(super) enum Lookup {
    /// Look which computers are on the bench.
    FindComputers,
    /// Take a first look at one.
    Arrive(PathBuf),
    /// Find the folders that begin so.
    Complete(String),
    /// Say which rule has a path.
    Explain(Arc<Session>, String),
    /// Find the folders of a computer that begin so.
    CompleteInside(Arc<Session>, String),
    /// Open the computer that the options name, and read its rulebooks.
    OpenComputer,
}

/// A question about what was scanned; of each kind only the newest counts.
pub(super) enum Question {
    /// Look who holds which items.
    LookForHolders(Arc<Scan>),
    /// Open a pile, or order it anew.
    LookInside(u32, Arc<Scan>, PileId, InsideOrder),
    /// Order an opened pile anew.
    Arrange(u32, Arc<Scan>, Arc<Inside>, InsideOrder),
    /// Look for something inside a pile.
    FindInside(u32, Box<InsideSearch>),
    /// Look what lies in a folder and is not of the pile.
    LookForOthers(u32, Box<InsideSearch>, EntryId),
    /// Count what an exclusion would spare.
    Reckon(u32, Arc<Scan>, Spares),
    /// Read which part of the list holds some words.
    Narrow(u32, Arc<Scan>, Arc<Manifest>, String),
    /// Read what web sites left in browsers.
    LookAtSites(Arc<Scan>),
    /// Find out what programs occupy.
    LookAtPrograms(Arc<Scan>, Arc<Session>),
    /// Find out something of where the space is.
    Space(Arc<Scan>, SpaceQuestion),
    /// Ask a package manager what it would remove.
    AskManager(Arc<Session>, Arc<KnownPrograms>, Unwanted),
    /// Find out what these exclusions spare.
    SpareSites(Arc<Scan>, Vec<Exclusion>),
    /// Ask a program to close, for the check of this job.
    AskToClose(u32, RunningProgram),
}

/// What is known of what starts by itself.
pub(super) enum StartupNews {
    /// It was looked for.
    Found(Result<StartList, String>),
    /// Something was to be off, or on: its id, which, and whether anything had to change.
    Switched(String, bool, Result<bool, String>),
}

/// Work on files of ours, and on what was set aside.
pub(super) enum FileWork {
    /// Write the list as a plan to a file.
    SaveList(Arc<Manifest>, PathBuf),
    /// Look for what starts by itself.
    LoadStarts(Arc<Session>),
    /// Turn something of it off, or on.
    SwitchStart(Arc<Session>, String, bool),
    /// Draw a page or a picture.
    Draw(Arc<Session>, Subject),
    /// Find out what packing or rescuing something would come to.
    LookToPack(Arc<Session>, PackSubject, CancelToken),
    /// Find out which chores there are.
    LookForChores(Arc<Session>),
    /// Find out what could be written over.
    LookToWipe(Arc<Session>),
    /// Pack it, or rescue it.
    Pack(Arc<Session>, Box<PackOrder>),
    /// Write it, or a run, to a file.
    Export(Arc<Session>, Export, PathBuf, Existing),
    /// Read the logs of a computer's runs.
    LoadRuns(Arc<Session>),
    /// Read what the dustpans hold.
    LoadDustpans(Arc<Session>),
    /// Bring back what lay at these paths, and below them.
    BringBack(Arc<Session>, Arc<Pan>, Vec<TargetPath>),
    /// Let go of the restore point that was made before a run.
    LetGoOfPoint(Arc<Session>, RunId),
    /// Empty a dustpan for good.
    EmptyPan(Arc<Session>, Arc<Pan>),
}

/// The steps of the road that take their time, and what holds or stops them.
pub(super) enum RunWork {
    /// Scan.
    Scan(Box<ScanJob>),
    /// Stop the scan and keep what is there.
    StopScan,
    /// Make the manifest.
    List(u32, Arc<Session>, Arc<Scan>, Box<Decisions>),
    /// Rehearse a manifest.
    Rehearse(u32, Arc<Session>, Arc<Scan>, Arc<Manifest>),
    /// Carry a manifest out. Only the typed word leads here.
    Sweep(Box<SweepOrder>),
    /// Stop the sweep after the item under way.
    StopSweep,
    /// Hold the sweep before its next item.
    HoldSweep,
    /// Let it go on.
    GoOn,
    /// Write something over. Only its typed word leads here.
    Wipe(Box<WipeOrder>),
    /// Run a package manager in view. Only the typed word leads here.
    Command(Box<CommandJob>),
    /// Hand what was typed to it.
    Type(Vec<u8>),
}

/// A package manager to run in view.
pub(super) struct CommandJob {
    pub session: Arc<Session>,
    pub uninstall: Uninstall,
    /// Columns and rows of its terminal.
    pub size: (u16, u16),
}
