//! What starts by itself on a computer, switched off and on: for the command line and the interface alike.

use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::host::{Running, reload_units};
use jolly_core::run::{SwitchError, Switching, switch_back, switch_off, switch_on};
use jolly_core::state::{RunId, SheetError, SheetStore, SwitchedOff};
use jolly_core::survey::{RegistryWay, StartEntry, Switch, startup};

use crate::session::{Session, clock};

/// Why something was not switched.
#[derive(Debug, thiserror::Error)]
pub(crate) enum StartupError {
    #[error("nothing that starts here is called {0}")]
    NoSuch(String),
    #[error("{0} was taken away since, and is off the list now")]
    TakenAway(String),
    #[error(transparent)]
    Switch(#[from] SwitchError),
    #[error(transparent)]
    Sheets(#[from] SheetError),
}

/// Something that starts by itself, or did before it was turned off.
#[derive(Clone, Debug)]
pub(crate) struct StartRow {
    pub id: String,
    pub name: String,
    pub source: String,
    /// When it starts.
    pub when: &'static str,
    pub account: Option<String>,
    pub command: String,
    pub says: Option<String>,
    /// The file that says so.
    pub file: String,
    pub is_on: bool,
    /// Whether its program is surely gone.
    pub is_gone: bool,
    /// Who made its program.
    pub made_by: Option<String>,
    pub bytes: u64,
    /// What its program uses now, where it runs.
    pub running: Option<Running>,
    pub changed: Option<i64>,
    /// How it is turned off, in words.
    pub how: &'static str,
    /// Why it can't be switched.
    pub stays: Option<&'static str>,
    /// When it was turned off here.
    pub off_since: Option<Timestamp>,
}

/// What starts by itself, and what couldn't be read, in words.
pub(crate) struct StartList {
    pub rows: Vec<StartRow>,
    pub unread: Vec<String>,
}

/// What turns something off, in words.
fn how(switch: &Switch) -> &'static str {
    match switch {
        Switch::Override { .. } | Switch::OwnEntry(_) => {
            "an entry in the account's own folder hides it; what is there stays"
        }
        Switch::Links(_) => "the links are taken away by which it is found; the unit stays",
        Switch::CronLine { .. } => "its line becomes a comment",
        Switch::Mark { .. } => "the system's list of what it leaves out names it",
        Switch::Registry { way, .. } => match way {
            RegistryWay::Mark => "a mark in the registry says so; the hive is copied first",
            RegistryWay::Aside => {
                "its entry is set aside, for this registry has no place for marks; the hive is copied first"
            }
            RegistryWay::ByHand => {
                "the registry has it wait until something asks for it; the hive is copied first"
            }
        },
    }
}

impl StartRow {
    fn of(entry: &StartEntry, off: &[SwitchedOff]) -> Self {
        let off = off.iter().find(|one| one.id == *entry.id);
        Self {
            id: entry.id.to_string(),
            name: entry.name.clone(),
            source: entry.source.name().to_owned(),
            when: entry.source.when(),
            account: entry.account.as_deref().map(str::to_owned),
            command: entry.command.clone(),
            says: entry.says.clone(),
            file: entry.file.to_string(),
            is_on: entry.is_on,
            is_gone: entry.is_gone,
            made_by: entry.made_by.clone(),
            bytes: entry.bytes,
            running: entry.running,
            changed: entry.changed,
            how: entry.switch.as_ref().map_or("", how),
            stays: entry.switch.as_ref().err().copied(),
            off_since: off.filter(|_| !entry.is_on).map(|one| one.when),
        }
    }

    /// What was turned off so that nothing on the disk tells of it any more.
    fn gone(off: &SwitchedOff) -> Self {
        Self {
            id: off.id.clone(),
            name: off.name.clone(),
            source: off.source.clone(),
            when: "",
            account: off.account.clone(),
            command: off.command.clone(),
            says: None,
            file: String::new(),
            is_on: false,
            is_gone: false,
            made_by: None,
            bytes: 0,
            running: None,
            changed: None,
            how: "it is set aside, and nothing here tells of it any more",
            stays: None,
            off_since: Some(off.when),
        }
    }
}

impl Session {
    /// What was turned off at this computer.
    fn switched(&self) -> Result<Vec<SwitchedOff>, SheetError> {
        let store = SheetStore::open_existing(&self.state)?;
        let sheet = store.map_or(Ok(None), |store| store.of_computer(&self.identity))?;
        Ok(sheet.map(|sheet| sheet.switched).unwrap_or_default())
    }

    /// What starts by itself there, and what was turned off.
    pub(crate) fn starts(&self, cancel: &CancelToken) -> Result<StartList, SheetError> {
        let off = self.switched()?;
        let found = startup(&self.target, cancel);
        let mut rows: Vec<StartRow> = found
            .entries
            .iter()
            .map(|entry| StartRow::of(entry, &off))
            .collect();
        let is_told = |one: &&SwitchedOff| found.entries.iter().any(|entry| *entry.id == *one.id);
        rows.extend(off.iter().filter(|one| !is_told(one)).map(StartRow::gone));
        rows.sort_by(|one, other| {
            (&one.account, &one.source, &one.id).cmp(&(&other.account, &other.source, &other.id))
        });
        let unread = found.unread.into_iter();
        let unread = unread.map(|(path, why)| format!("{path}: {why}"));
        Ok(StartList {
            rows,
            unread: unread.collect(),
        })
    }

    /// Turns something off or on; says whether anything had to change.
    pub(crate) fn switch_start(&self, id: &str, on: bool) -> Result<bool, StartupError> {
        let has_changed = self.switch_in_files(id, on)?;
        // What runs here reads its units when it is told to.
        let is_unit = ["service:", "timer:"]
            .iter()
            .any(|source| id.starts_with(source));
        if has_changed && is_unit && self.target.is_live {
            let whose = id.split(':').nth(1).unwrap_or_default();
            let mut accounts = self.target.accounts.iter();
            match accounts.find(|account| *account.name == *whose) {
                Some(account) => reload_units(Some((whose, account.user))),
                None => reload_units(None),
            };
        }
        Ok(has_changed)
    }

    fn switch_in_files(&self, id: &str, on: bool) -> Result<bool, StartupError> {
        let never = CancelToken::default();
        let found = startup(&self.target, &never);
        let entry = found.entries.iter().find(|entry| *entry.id == *id);
        let mut off = self.switched()?;
        let at = off.iter().position(|one| one.id == id);
        // One for all: what a switch left beside a file when it died, the next one there clears away.
        let run = RunId::new(Timestamp::UNIX_EPOCH, 0);
        let work = Switching {
            target: &self.target,
            state: &self.state,
            run: &run,
            now: self.now.unwrap_or_else(clock),
        };
        let keep =
            |all: &[SwitchedOff]| SheetStore::open(&self.state)?.set_switched(&self.target, all);
        match (entry, at, on) {
            (None, None, _) => Err(StartupError::NoSuch(id.to_owned())),
            (Some(entry), _, false) if entry.is_on => {
                let switched = switch_off(work, entry, |changes| {
                    off.retain(|one| one.id != id);
                    off.push(SwitchedOff {
                        id: id.to_owned(),
                        name: entry.name.clone(),
                        source: entry.source.name().to_owned(),
                        account: entry.account.as_deref().map(str::to_owned),
                        command: entry.command.clone(),
                        when: self.now.unwrap_or_else(clock),
                        changes: changes.to_vec(),
                    });
                    keep(&off).map_err(StartupError::from)
                });
                if switched.is_err() && off.iter().any(|one| one.id == id) {
                    // It is on still, and nobody is to be told otherwise.
                    off.retain(|one| one.id != id);
                    keep(&off)?;
                }
                switched.map(|()| true)
            }
            (_, _, false) => Ok(false),
            (Some(entry), None, true) if entry.is_on => Ok(false),
            (Some(entry), None, true) => {
                switch_on(work, entry)?;
                Ok(true)
            }
            (entry, Some(at), true) => {
                let is_off = entry.is_none_or(|entry| !entry.is_on);
                let one = off.remove(at);
                let back = is_off.then(|| switch_back(work, &one.changes, entry));
                match back.unwrap_or(Ok(())) {
                    Ok(()) => {}
                    // Somebody took it away since: there is nothing to turn on, and nothing to remember.
                    Err(SwitchError::Changed { .. }) if entry.is_none() => {
                        keep(&off)?;
                        return Err(StartupError::TakenAway(id.to_owned()));
                    }
                    Err(error) => return Err(error.into()),
                }
                keep(&off)?;
                Ok(is_off)
            }
        }
    }
}
