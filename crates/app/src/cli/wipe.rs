//! `wipe`: writing over what is free of a volume, or over a whole disk or image that can be pulled out.

use std::path::{Path, PathBuf};

use clap::{Args, Subcommand};
use jolly_core::CancelToken;
use jolly_core::host::whole_disk;
use jolly_core::run::Pause;
use jolly_core::wiping::{Fill, WipeError, WipeState, volume_to_wipe};
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::open_state;
use crate::wiping::{
    WipeManner, WipeSubject, Wiped, advice, manner_in_words, outcome_in_words, shown,
    volume_in_words, wipe,
};
use crate::wording::bytes;

/// What is written over.
#[derive(Subcommand)]
pub(super) enum WipeCommand {
    /// What is free of the volume that a folder lies on; its files stay
    #[command(after_help = "Example: jolly-broom wipe free /mnt/till --yes")]
    Free {
        /// A folder on the volume
        #[arg(value_name = "DIR")]
        folder: PathBuf,
        /// Do it; without this, it only says what it would do
        #[arg(long)]
        yes: bool,
        #[command(flatten)]
        manner: Manner,
    },
    /// A whole disk that can be pulled out, or a whole image: all that is on it is gone
    #[command(
        after_help = "Example: jolly-broom wipe disk /dev/sdb --yes 4C530001230411:31910887424\n\nWithout --yes it says what is to be typed."
    )]
    Disk {
        /// The disk, or the file of the image
        #[arg(value_name = "DEVICE")]
        device: PathBuf,
        /// Do it: its serial number and its size in bytes; of an image `image:SIZE`
        #[arg(long, value_name = "SERIAL:SIZE")]
        yes: Option<String>,
        #[command(flatten)]
        manner: Manner,
    },
}

/// How it is written over.
#[derive(Args)]
pub(super) struct Manner {
    /// Write zeros instead of random bytes
    #[arg(long)]
    zeros: bool,
    /// Go over it so often; the last time is read back
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u64).range(1..=99))]
    passes: u64,
}

impl Manner {
    fn of(&self) -> WipeManner {
        WipeManner {
            fill: if self.zeros {
                Fill::Zeros
            } else {
                Fill::Random
            },
            passes: self.passes,
        }
    }
}

pub(super) fn run(options: &SharedOptions, command: &WipeCommand) -> Result<Exit, Refusal> {
    match command {
        WipeCommand::Free {
            folder,
            yes,
            manner,
        } => free(options, folder, (*yes, manner.of())),
        WipeCommand::Disk {
            device,
            yes,
            manner,
        } => disk(options, device, (yes.as_deref(), manner.of())),
    }
}

fn free(
    options: &SharedOptions,
    folder: &Path,
    (is_meant, manner): (bool, WipeManner),
) -> Result<Exit, Refusal> {
    let volume = volume_to_wipe(folder).map_err(|error| refuse(&error))?;
    let (place, free) = (volume_in_words(&volume), bytes(volume.free));
    let what = format!("what is free at {place}, {free}");
    if !is_meant {
        let would = Would {
            what: &what,
            size: volume.free,
            word: None,
            caveats: &volume.caveats,
            end: "Its files stay; nothing stays filled afterwards. Add --yes to do it.",
        };
        return say(options, manner, &would);
    }
    tell_caveats(&volume.caveats);
    go(options, (&WipeSubject::Free(volume), manner))
}

fn disk(
    options: &SharedOptions,
    device: &Path,
    (word, manner): (Option<&str>, WipeManner),
) -> Result<Exit, Refusal> {
    let disk = whole_disk(device).map_err(|error| refuse(&error.into()))?;
    let Some(word) = word else {
        let named = if disk.model.is_empty() {
            String::new()
        } else {
            format!(", {}", disk.model)
        };
        let what = format!(
            "all of {} ({}{named}), {}",
            shown(&disk.path),
            disk.kind.words(),
            bytes(disk.size)
        );
        let end = format!(
            "Everything on it is gone for good. To do it add --yes {}",
            disk.word()
        );
        let would = Would {
            what: &what,
            size: disk.size,
            word: Some(disk.word()),
            caveats: &disk.wipe_caveats(),
            end: &end,
        };
        return say(options, manner, &would);
    };
    tell_caveats(&disk.wipe_caveats());
    let subject = WipeSubject::Disk(disk.path, word.to_owned());
    go(options, (&subject, manner))
}

/// What would be done.
struct Would<'a> {
    what: &'a str,
    size: u64,
    /// What has to be typed, of a disk.
    word: Option<String>,
    caveats: &'a [String],
    end: &'a str,
}

/// Says what would be done.
fn say(options: &SharedOptions, manner: WipeManner, would: &Would<'_>) -> Result<Exit, Refusal> {
    if options.json {
        print::json(&json!({
            "format": "jolly-broom/wipe", "version": 1, "state": "asked", "what": would.what,
            "size": would.size, "word": would.word, "told": would.caveats,
        }))?;
    } else {
        print::result(|out| {
            let (what, how) = (would.what, manner_in_words(manner.fill, manner.passes));
            writeln!(
                out,
                "This would write over {what}, {how}, and read it back."
            )?;
            for caveat in would.caveats {
                writeln!(out, "  note: {caveat}")?;
            }
            Ok(())
        })?;
    }
    print::message(would.end);
    Ok(Exit::Done)
}

fn tell_caveats(caveats: &[String]) {
    for caveat in caveats {
        print::note(&format!("note: {caveat}"));
    }
}

fn go(
    options: &SharedOptions,
    (subject, manner): (&WipeSubject, WipeManner),
) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    let cancel: CancelToken = print::cancel_on_interrupt()?;
    let progress = print::Progress::new();
    let heard = |at: jolly_core::wiping::WipeProgress| progress.wiping(&at);
    let wiped = wipe(
        &state,
        (subject, manner),
        (&cancel, &Pause::default()),
        &heard,
    );
    progress.end();
    let wiped = wiped.map_err(|error| refuse(&error))?;
    tell(options, &wiped)
}

fn tell(options: &SharedOptions, wiped: &Wiped) -> Result<Exit, Refusal> {
    let end = &wiped.end;
    if options.json {
        print::json(&json!({
            "format": "jolly-broom/wipe", "version": 1, "run": wiped.run, "log": wiped.log,
            "state": end.state.name(), "proven": end.is_proven(), "written": end.written,
            "verified": end.verified, "differs": end.differs, "refused": end.refused,
            "holes": end.holes, "unreached": end.unreached, "trimmed": end.trimmed,
            "reason": end.reason,
        }))?;
    } else {
        let run = &wiped.run;
        print::result(|out| {
            for line in outcome_in_words(end) {
                writeln!(out, "{line}")?;
            }
            writeln!(
                out,
                "`jolly-broom report {run} --out FILE.pdf` writes the certificate"
            )
        })?;
    }
    Ok(match end.state {
        WipeState::Finished if end.is_proven() => Exit::Done,
        WipeState::Stopped => Exit::Stopped,
        WipeState::Finished | WipeState::Failed | WipeState::Interrupted => Exit::Failed,
    })
}

fn refuse(error: &WipeError) -> Refusal {
    match error {
        WipeError::NoDisk(_) | WipeError::OtherWord { .. } | WipeError::MayNot { .. } => {
            Refusal::bad_input(error, advice(error))
        }
        WipeError::Disk { source, .. } if source.kind() == std::io::ErrorKind::NotFound => {
            Refusal::bad_input(error, "nothing was written")
        }
        WipeError::Disk { .. } | WipeError::Journal(_) => Refusal::failed(error, advice(error)),
    }
}
