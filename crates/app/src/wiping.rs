//! Writing over what is free, or over a whole disk: for the command line and the interface alike.

use std::path::{Path, PathBuf};

use jolly_core::CancelToken;
use jolly_core::run::Pause;
use jolly_core::state::{RunId, StateFolder};
use jolly_core::wiping::{
    Fill, VolumeToWipe, WipeEnd, WipeError, WipeLog, WipeProgress, WipeState, Wiping, wipe_disk,
    wipe_free,
};

use serde_json::json;

use crate::session::clock;
use crate::wording::bytes;

/// What is to be written over.
#[derive(Clone, Debug)]
pub(crate) enum WipeSubject {
    /// What is free of a volume.
    Free(VolumeToWipe),
    /// A whole disk or image, and what was typed to say that it is the one.
    Disk(PathBuf, String),
}

/// How it is written over.
#[derive(Clone, Copy, Debug)]
pub(crate) struct WipeManner {
    pub fill: Fill,
    pub passes: u64,
}

/// What came of it.
#[derive(Clone, Debug)]
pub(crate) struct Wiped {
    pub run: RunId,
    pub log: PathBuf,
    pub end: WipeEnd,
}

/// Writes over a thing, and records it.
pub(crate) fn wipe(
    state: &StateFolder,
    (subject, manner): (&WipeSubject, WipeManner),
    (cancel, pause): (&CancelToken, &Pause),
    heard: &dyn Fn(WipeProgress),
) -> Result<Wiped, WipeError> {
    let run = RunId::new(clock(), std::process::id());
    let work = Wiping {
        state,
        run: &run,
        fill: manner.fill,
        passes: manner.passes,
        cancel,
        pause,
        clock: &clock,
        heard,
    };
    let (end, log) = match subject {
        WipeSubject::Free(volume) => wipe_free(&work, volume)?,
        WipeSubject::Disk(path, word) => wipe_disk(&work, (path, word))?,
    };
    Ok(Wiped { run, log, end })
}

/// With what something is written over, in words.
pub(crate) fn manner_in_words(fill: Fill, passes: u64) -> String {
    let with = match fill {
        Fill::Random => "random bytes",
        Fill::Zeros => "zeros",
    };
    match passes {
        0 | 1 => format!("once with {with}"),
        more => format!("{more} times with {with}"),
    }
}

/// What wiping came to, a sentence a line.
pub(crate) fn outcome_in_words(end: &WipeEnd) -> Vec<String> {
    let mut all = Vec::new();
    let written = bytes(end.written);
    all.push(match end.state {
        WipeState::Finished if end.is_proven() => {
            format!("{written} written over, all of it read back and the same")
        }
        WipeState::Finished => format!("{written} written over, {} read back", bytes(end.verified)),
        WipeState::Stopped => {
            format!("stopped: {written} written over by then, the rest is as it was")
        }
        WipeState::Failed => format!("not done: {written} written over; {}", end.reason),
        WipeState::Interrupted => {
            format!("it broke off: at least {written} had been written over")
        }
    });
    if end.refused > 0 {
        all.push(format!(
            "{} refused by the disk: they may hold what they held",
            bytes(end.refused)
        ));
    }
    if end.differs > 0 {
        all.push(format!(
            "{} read back as something else than was written",
            bytes(end.differs)
        ));
    }
    if end.holes > 0 {
        all.push(format!(
            "{} of the image are holes, which hold nothing",
            bytes(end.holes)
        ));
    }
    if end.unreached > 0 {
        all.push(format!(
            "{} that the file system keeps for itself weren't reached",
            bytes(end.unreached)
        ));
    }
    if let Some(trimmed) = &end.trimmed {
        all.push(format!(
            "afterwards the disk was told that {trimmed} are empty"
        ));
    }
    all
}

/// What a record is of, in words.
pub(crate) fn subject_in_words(log: &WipeLog) -> String {
    let path = &log.path;
    match &*log.what {
        "free" => format!("what is free at {path}"),
        "image" => format!("the image {path}"),
        _ => format!("the disk {path}"),
    }
}

/// A record for other programs.
pub(crate) fn wipe_as_json(log: &WipeLog) -> serde_json::Value {
    json!({
        "format": "jolly-broom/wipe", "version": 1, "run": log.run, "what": log.what,
        "path": log.path, "model": log.model, "serial": log.serial, "size": log.size,
        "fill": log.fill.name(), "passes": log.passes, "told": log.told, "started": log.started,
        "ended": log.ended, "proven": log.end.is_proven(), "end": log.end,
    })
}

/// How far it is, in words.
pub(crate) fn progress_in_words(progress: &WipeProgress) -> String {
    let read = match progress.read {
        0 => String::new(),
        read => format!(", {} read back", bytes(read)),
    };
    let pass = match progress.passes {
        0 | 1 => String::new(),
        many => format!(", pass {} of {many}", progress.pass),
    };
    format!(
        "{} of {} written{read}{pass}",
        bytes(progress.written),
        bytes(progress.of)
    )
}

/// What to do about something that can't be wiped.
pub(crate) fn advice(error: &WipeError) -> &'static str {
    match error {
        WipeError::NoDisk(_) | WipeError::MayNot { .. } => "nothing was written",
        WipeError::OtherWord { .. } => "look at the disk once more; nothing was written",
        WipeError::Disk { .. } => "nothing was written; is somebody else using it?",
        WipeError::Journal(_) => "without a record nothing is written over",
    }
}

/// The folder's volume in words: where it is mounted, its file system, what it lies on.
pub(crate) fn volume_in_words(volume: &VolumeToWipe) -> String {
    format!(
        "{} ({} on {})",
        shown(&volume.point),
        volume.kind,
        shown(Path::new(&volume.source))
    )
}

/// A path of this machine, made harmless.
pub(crate) fn shown(path: &Path) -> String {
    jolly_core::format::Printable(path.as_os_str().as_encoded_bytes()).to_string()
}
