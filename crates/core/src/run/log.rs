//! Logs read back: which runs there are, what became of each item, and whether a log is whole.

pub(super) mod command;
pub(super) mod forget;
pub(crate) mod record;

use std::collections::BTreeMap;
use std::io::{Read as _, Seek as _, SeekFrom};
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::Serialize;

use crate::computer::{AccountName, TargetPath};
use crate::dustpan::Pan;
use crate::plan::{Outcome, WrittenPlace, shown_place};
use crate::rule::{Removal, RuleId};
use crate::run::log::record::{Done, DoneLine, FORMAT, Intent, Record, VERSION};
use crate::run::sums::{RunSums, Settled};
use crate::state::journal::opened;
use crate::state::{LogError, RunId, StateError, StateFolder, each_line};

/// How a run ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum LogState {
    /// It came to its end.
    Finished,
    /// Somebody stopped it.
    Stopped,
    /// It broke off; some intents may have no outcome.
    Interrupted,
    /// It broke off, and its open intents were settled afterwards.
    Recovered,
    /// It was a rehearsal: nothing was touched.
    Rehearsed,
}

/// One run.
#[derive(Clone, Debug)]
pub struct LogSummary {
    /// Its id.
    pub run: RunId,
    /// When it started.
    pub started: Timestamp,
    /// Its target's root, made harmless.
    pub target: String,
    /// What tells the computer from others.
    pub identity: String,
    /// What the computer is called.
    pub label: String,
    /// How it ended.
    pub state: LogState,
    /// What became of its items, added up.
    pub sums: RunSums,
    /// Items that were about to be touched and have no outcome.
    pub unsettled: u64,
    /// Free space before, and after when it is known.
    pub free: (u64, Option<u64>),
    /// Whether it was made from a scan that was stopped before its end.
    pub is_partial: bool,
}

/// One item of a log as `log show` prints it.
#[derive(Clone, Debug, Serialize)]
pub struct LogItem {
    /// The rule that had it.
    pub rule: RuleId,
    /// Whose it was.
    pub account: Option<AccountName>,
    /// What it was.
    pub kind: String,
    /// Where it was.
    #[serde(flatten)]
    pub place: WrittenPlace,
    /// What became of it; none when the run broke off before that was written.
    pub outcome: Option<Outcome>,
    /// What came back.
    pub bytes: u64,
    /// Why it stayed; empty when it went.
    pub reason: String,
}

/// One item of a log with all that was recorded before it was touched.
#[derive(Clone, Debug)]
pub struct LogEntry {
    pub(crate) rule: RuleId,
    pub(crate) account: Option<AccountName>,
    pub(crate) by: Removal,
    pub(crate) path: TargetPath,
    pub(crate) intent: Intent,
    pub(crate) outcome: Option<(Outcome, u64, String)>,
}

/// A log read whole.
pub(crate) struct Contents {
    pub summary: LogSummary,
    pub entries: Vec<LogEntry>,
    /// Which folder the target's root was.
    pub root: (u64, u64),
    /// The hash of the last good line.
    pub last_hash: String,
    /// Where the last good line ends, in bytes.
    pub good_until: u64,
}

/// The log of a run.
///
/// # Errors
/// When there is none.
pub(crate) fn find(state: &StateFolder, run: &RunId) -> Result<PathBuf, LogError> {
    let path = state.log(run);
    let rehearsal = state.rehearsal(run);
    if let Some(path) = [path, rehearsal].into_iter().find(|path| path.is_file()) {
        return Ok(path);
    }
    Err(LogError::NoSuchRun {
        run: run.to_string(),
        folder: state.logs(),
    })
}

/// Reads a log, checking every line's hash and its link to the line before.
pub(crate) fn read(path: &Path) -> Result<Contents, LogError> {
    let path = || path.to_owned();
    let mut parts = Parts::default();
    let (mut is_other, mut lines) = (false, 0);
    let (last_hash, good_until) = each_line(&path(), &mut |record: Record| {
        lines += 1;
        is_other = lines == 1
            && !matches!(&record, Record::Start { format, version, .. }
                if format == FORMAT && *version == VERSION);
        let is_too_much = parts.is_ended();
        if !is_other && !is_too_much {
            parts.take(record);
        }
        !is_other && !is_too_much
    })?;
    if is_other {
        return Err(LogError::OtherVersion { path: path() });
    }
    // Behind the line that ends it stands nothing, not even a part of one.
    let len = std::fs::metadata(path()).map_or(good_until, |log| log.len());
    let is_longer = parts.is_ended() && len > good_until;
    if lines > parts.lines || is_longer {
        let line = parts.lines + 1;
        return Err(LogError::Altered { path: path(), line });
    }
    let never_began = LogError::NeverBegan { path: path() };
    let contents = parts.into_contents(last_hash, good_until);
    let contents = contents.ok_or(never_began)?;
    // A log that was renamed would speak for a run that it knows nothing of.
    if path().file_stem() != Some(std::ffi::OsStr::new(&*contents.summary.run)) {
        return Err(LogError::OtherRun { path: path() });
    }
    Ok(contents)
}

/// The digest of the list that a record is of, from its first line.
pub(crate) fn manifest_of(path: &Path) -> Option<String> {
    match first_line(path)? {
        Record::Start { manifest, .. } => Some(manifest),
        Record::Intend { .. } | Record::Done { .. } | Record::Finish { .. } => None,
    }
}

/// Goes through what became of items, as a record tells it, and keeps nothing else of it.
///
/// # Errors
/// When it can't be read, or was altered.
pub(crate) fn each_done(path: &Path, each: &mut dyn FnMut(Done)) -> Result<(), LogError> {
    let read = each_line(path, &mut |line: DoneLine| {
        if let DoneLine::Done { items } = line {
            items.into_iter().for_each(&mut *each);
        }
        true
    });
    read.map(drop)
}

/// What tells the computer that a log is of from others, from its first line.
pub(crate) fn identity_of(path: &Path) -> Option<String> {
    match first_line(path)? {
        Record::Start { identity, .. } => Some(identity),
        Record::Intend { .. } | Record::Done { .. } | Record::Finish { .. } => None,
    }
}

/// How many items stayed, as a log's last line says: a hint, for it is read without the lines before.
pub(crate) fn stayed(path: &Path) -> Option<u64> {
    match last_line(path)? {
        Record::Finish { stayed, .. } => stayed,
        Record::Start { .. } | Record::Intend { .. } | Record::Done { .. } => None,
    }
}

/// Whether a log's last line says how its run ended; read without the lines before.
pub(crate) fn has_ended(path: &Path) -> bool {
    matches!(last_line(path), Some(Record::Finish { .. }))
}

fn last_line(path: &Path) -> Option<Record> {
    let mut file = opened(path).ok()?;
    let from = file.metadata().ok()?.len().saturating_sub(LAST);
    file.seek(SeekFrom::Start(from)).ok()?;
    let mut end = Vec::new();
    file.take(LAST).read_to_end(&mut end).ok()?;
    let lines = end.strip_suffix(b"\n")?;
    serde_json::from_slice(lines.rsplit(|byte| *byte == b'\n').next()?).ok()
}

/// More than a log's last line ever has, in bytes.
const LAST: u64 = 4096;

fn first_line(path: &Path) -> Option<Record> {
    let mut first = None;
    let read = each_line(path, &mut |record: Record| {
        first = Some(record);
        false
    });
    read.ok().and(first)
}

/// What a log's lines add up to.
#[derive(Default)]
struct Parts {
    /// How many lines were taken.
    lines: usize,
    start: Option<Record>,
    entries: BTreeMap<u64, LogEntry>,
    finish: Option<(String, u64)>,
}

impl Parts {
    fn is_ended(&self) -> bool {
        self.finish.is_some()
    }

    fn take(&mut self, record: Record) {
        self.lines += 1;
        match record {
            Record::Start { .. } => self.start = Some(record),
            Record::Intend {
                folder,
                rule,
                account,
                by,
                first,
                device,
                items,
            } => {
                let folder = TargetPath::try_from(&folder).unwrap_or_default();
                for (at, mut intent) in (0_u64..).zip(items) {
                    intent.n = first.saturating_add(at);
                    intent.device = device;
                    let name = TargetPath::try_from(&intent.name).unwrap_or_default();
                    let path = folder.join(name.as_bytes()).unwrap_or_default();
                    let (rule, account) = (rule.clone(), account.clone());
                    let n = intent.n;
                    let entry = LogEntry {
                        rule,
                        account,
                        by,
                        path,
                        intent,
                        outcome: None,
                    };
                    self.entries.insert(n, entry);
                }
            }
            Record::Done { items } => {
                for done in items {
                    let last = done.n.saturating_add(done.many);
                    for (_, entry) in self.entries.range_mut(done.n..last) {
                        let bytes = done.bytes.unwrap_or(entry.intent.bytes);
                        entry.outcome = Some((done.outcome, bytes, done.reason.clone()));
                    }
                }
            }
            Record::Finish { state, free, .. } => self.finish = Some((state, free)),
        }
    }

    fn into_contents(self, last_hash: String, good_until: u64) -> Option<Contents> {
        let Some(Record::Start {
            run,
            started,
            target,
            identity,
            device,
            inode,
            label,
            free,
            partial,
            ..
        }) = self.start
        else {
            return None;
        };
        let state = match self.finish.as_ref().map(|(state, _)| state.as_str()) {
            Some("finished") => LogState::Finished,
            Some("stopped") => LogState::Stopped,
            Some("recovered") => LogState::Recovered,
            Some("rehearsed") => LogState::Rehearsed,
            _ => LogState::Interrupted,
        };
        let mut sums = RunSums::default();
        let mut unsettled = 0;
        for entry in self.entries.values() {
            match &entry.outcome {
                // An item of a stopped batch was never reached.
                None if state == LogState::Interrupted => unsettled += 1,
                None => {}
                Some((outcome, bytes, reason)) => {
                    sums.count(&Settled {
                        rule: &entry.rule,
                        account: entry.account.as_ref(),
                        outcome: *outcome,
                        bytes: *bytes,
                        listed: entry.intent.bytes,
                        reason,
                        place: &|| shown_place(&entry.path, entry.intent.entry.map(|it| it.list)),
                    });
                }
            }
        }
        let free = (free, self.finish.map(|(_, free)| free));
        Some(Contents {
            summary: LogSummary {
                run,
                started,
                target,
                identity,
                label,
                state,
                sums,
                unsettled,
                free,
                is_partial: partial,
            },
            entries: self.entries.into_values().collect(),
            root: (device, inode),
            last_hash,
            good_until,
        })
    }
}

/// Every run with a log, oldest first; an unreadable log is an error in its place.
///
/// # Errors
/// When the folder of logs can't be read.
pub fn list_logs(state: &StateFolder) -> Result<Vec<Result<LogSummary, LogError>>, StateError> {
    let runs = state.runs()?;
    let summaries = runs.iter().map(|run| Ok(read(&state.log(run))?.summary));
    // A sweep that was refused leaves a log without a line, which tells nothing.
    Ok(summaries
        .filter(|log| !matches!(log, Err(LogError::NeverBegan { .. })))
        .collect())
}

/// What became of each item of a run, in the order in which they were to go.
///
/// # Errors
/// When there is no such run, or its log was altered.
pub fn read_items(state: &StateFolder, run: &RunId) -> Result<Vec<LogItem>, LogError> {
    let contents = read(&find(state, run)?)?;
    let pan = Pan::read(state, run)?;
    let aside = pan.as_ref().map(Pan::by_path).unwrap_or_default();
    let item = |entry: LogEntry| {
        let (outcome, bytes, reason) = match entry.outcome {
            Some((Outcome::SetAside, bytes, reason)) if reason.is_empty() => {
                let known = pan.as_ref().zip(aside.get(&entry.path));
                let reason = known.map(|(pan, item)| pan.whereabouts(item));
                (Some(Outcome::SetAside), bytes, reason.unwrap_or_default())
            }
            Some((outcome, bytes, reason)) => (Some(outcome), bytes, reason),
            None if contents.summary.state == LogState::Interrupted => {
                let reason = "the run broke off here; `log recover` settles it".to_owned();
                (None, 0, reason)
            }
            None => return None,
        };
        Some(LogItem {
            rule: entry.rule,
            account: entry.account,
            place: WrittenPlace::of(&entry.path, entry.intent.entry.map(|it| it.list)),
            kind: entry.intent.kind,
            outcome,
            bytes,
            reason,
        })
    };
    Ok(contents.entries.into_iter().filter_map(item).collect())
}

/// Whether every line of a log is as it was written; how the run ended.
///
/// # Errors
/// The first line that isn't.
pub fn verify_log(state: &StateFolder, run: &RunId) -> Result<LogSummary, LogError> {
    Ok(read(&find(state, run)?)?.summary)
}
