//! What one use of the program works with: the target, the rules, the state folder, the moment.

use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant};

use etcetera::BaseStrategy as _;
use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::computer::{Dates, Layout, Target, TargetError, TargetPath};
use jolly_core::decide::{Exclusion, Selection, Starts};
use jolly_core::dustpan::ON_TARGET;
use jolly_core::format::{Printable, Site};
use jolly_core::pile::{Explanation, Question, Scan, ScanOrder, explain, scan};
use jolly_core::report::LittleFree;
use jolly_core::rule::{Class, Guards, RuleNumber, RuleSet, resolve};
use jolly_core::run::{SameComputer, list_commands};
use jolly_core::state::{Sheet, SheetStore, StateFolder};
use jolly_core::survey::{Arrival, Belongs, arrive};
use jolly_core::walk::ScanEvent;
use jolly_disk::RealDisk;

use crate::books;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::persist::{Files, refuse};
use crate::shop::{SHOP_ADVICE, Shop};
use crate::surveys::SurveyFinds;
use crate::visits::refuse_sheets;

/// What one use of the program works with.
#[derive(Clone)]
pub(crate) struct Session {
    pub target: Arc<Target>,
    pub rules: Arc<RuleSet>,
    pub state: StateFolder,
    /// How it is known that what is kept of this computer is this one's.
    pub same: SameComputer,
    /// The folder that was named for what is set aside.
    pub dustpan: Option<PathBuf>,
    /// Set by `--now`; else each scan takes the clock.
    pub now: Option<Timestamp>,
    /// When it was opened: the visit under way began then at the latest.
    pub opened: Timestamp,
    /// This program's own files on the target.
    pub own: Vec<TargetPath>,
    /// What tells this computer from others: its job sheet is kept by it.
    pub identity: String,
    /// What is remembered of it.
    pub sheet: Option<Sheet>,
    /// Where more of that lies.
    pub files: Files,
    /// What is excluded on it, and on all computers.
    pub exclusions: Vec<Exclusion>,
    /// How the shop starts.
    pub starts: Starts,
    /// The rulebooks that were named.
    pub rulebooks: Vec<PathBuf>,
    /// What this person has done before, by the names of the stations.
    pub done: Vec<String>,
    /// Which names belong to which program.
    pub belongs: Arc<Belongs>,
    /// The technician's configuration folder.
    pub config: Option<PathBuf>,
    /// From where on what is free is little.
    pub little: LittleFree,
}

/// How long a first look at a computer may take.
const FIRST_LOOK: Duration = Duration::from_millis(700);

/// The clock of the edge: the only place that asks it.
#[expect(
    clippy::disallowed_methods,
    reason = "the edge fixes the moment and hands it down"
)]
pub(crate) fn clock() -> Timestamp {
    Timestamp::now()
}

/// The moment that `--now` names.
pub(crate) fn told_time(options: &SharedOptions) -> Result<Option<Timestamp>, Refusal> {
    let told = options.now.as_ref().map(|text| {
        text.parse::<Timestamp>().ok().ok_or_else(|| {
            let what = format!("\"{}\" is not a time", Printable(text.as_bytes()));
            let advice = "write it as RFC 3339 does, such as 2026-05-01T12:00:00Z";
            Refusal::bad_words(&what, advice)
        })
    });
    told.transpose()
}

impl Session {
    /// Opens what the options name, or this computer where they name no target.
    pub(crate) fn of_options(options: &SharedOptions) -> Result<Self, Refusal> {
        let target = options.target.as_deref().unwrap_or(Path::new("/"));
        Self::open(options, target)
    }

    /// What people call the computer.
    pub(crate) fn shown_name(&self) -> &str {
        let own = self.target.owner.as_deref().unwrap_or(&self.target.label);
        self.sheet.as_ref().map_or(own, Sheet::shown_name)
    }

    /// Opens the target and reads the rulebooks.
    pub(crate) fn open(options: &SharedOptions, target: &Path) -> Result<Self, Refusal> {
        let now = told_time(options)?;
        let target = open_target(options, target)?;
        let state = open_state(options)?;
        let identity = target.identity().as_str().to_owned();
        let same = same_computer(options);
        let config = books::config_folder(options.config.as_deref());
        let files = Files::of(&state, &identity, config.as_deref());
        let shelf = books::Shelf {
            named: &options.rulebook,
            own: files.read_rulebook().map_err(|error| refuse(&error))?,
            config: config.as_deref(),
        };
        let rules = books::read_rules(target.layout, &shelf)?;
        let shop = Shop::read(config.as_deref())
            .map_err(|error| Refusal::bad_input(&error, SHOP_ADVICE))?;
        let mut own = Vec::new();
        let exe = std::env::current_exe().ok();
        let dustpan = target.root_path().join(ON_TARGET);
        for path in exe.into_iter().chain([state.path().to_owned(), dustpan]) {
            let path = resolve_as_far_as_it_exists(&path);
            own.extend(target.inside(&path));
        }
        own.retain(|path| !path.is_root());
        let sheet = SheetStore::open_existing(&state)
            .and_then(|store| store.map_or(Ok(None), |store| store.of_computer(&identity)))
            .map_err(|error| refuse_sheets(&error))?;
        if target.identity().is_by_path()
            && same == SameComputer::MustBeKnown
            && (sheet.is_some() || files.keeps_something())
        {
            return Err(Refusal {
                exit: Exit::BadInput,
                message: format!(
                    "nothing but the path {} tells which computer this is, and what is kept for it may be another's\n  \
                     if it is the same one, say so with --same-computer; else move what is kept away: {}",
                    Printable(target.root_path().as_os_str().as_encoded_bytes()),
                    Printable(state.path().as_os_str().as_encoded_bytes())
                ),
            });
        }
        Ok(Self {
            target: Arc::new(target),
            rules: Arc::new(rules),
            state,
            same,
            dustpan: dustpan_folder(options)?,
            now,
            opened: now.unwrap_or_else(clock),
            own,
            identity,
            sheet,
            exclusions: files.read_exclusions().map_err(|error| refuse(&error))?,
            starts: files.read_starts().map_err(|error| refuse(&error))?,
            belongs: Arc::new(files.read_belongs().map_err(|error| refuse(&error))?),
            done: files.read_done(),
            files,
            rulebooks: options.rulebook.clone(),
            little: shop.little(),
            config,
        })
    }

    /// Takes a first look, and waits until it is done.
    pub(crate) fn arrive(&self) -> Arrival {
        let began = Instant::now();
        let now = self.now.unwrap_or_else(clock);
        let is_due = || began.elapsed() > FIRST_LOOK;
        arrive(&self.target, &self.rules, now, &is_due)
    }

    /// A path as a person gives it: below the target's root, on the target, or on this machine.
    pub(crate) fn path_on_target(&self, path: &Path) -> Result<TargetPath, Refusal> {
        use std::os::unix::ffi::OsStrExt as _;
        let inside = self.target.inside(path);
        let given = path.as_os_str().as_bytes();
        let path = inside
            .map_or_else(|| self.target.parse_user_path(given), Ok)
            .map_err(|error| Refusal::bad_input(&error, "such as home/pia/.cache/thumbnails"))?;
        Ok(self.target.with_disk_case(&path))
    }

    /// A folder of the target as a person gives it.
    pub(crate) fn folder_on_target(&self, folder: &Path) -> Result<TargetPath, Refusal> {
        let path = self.path_on_target(folder)?;
        let target = &self.target;
        let opened = target.disk().open_folder(target.root(), path.as_bytes());
        opened.map_err(|error| {
            let what = std::io::Error::new(error.kind(), format!("{path}: {error}"));
            Refusal::bad_input(&what, "name a folder of the target")
        })?;
        Ok(path)
    }

    /// Says which rule has a path and why.
    pub(crate) fn explain(&self, path: &Path) -> Result<(TargetPath, Explanation), Refusal> {
        let path = self.path_on_target(path)?;
        let (searches, _) = resolve(&self.target, &self.rules);
        let mut guards = Guards::new(&self.target.places, self.own.clone());
        for search in &searches {
            guards.add_root(search.root.clone());
        }
        let question = Question {
            target: &self.target,
            rules: &self.rules,
            searches: &searches,
            guards: &guards,
            now: self.now.unwrap_or_else(clock),
        };
        let found = explain(&question, &path);
        Ok((path, found))
    }

    /// The packages that were removed from here on this computer, and when. A log that can't be read speaks for nothing.
    pub(crate) fn removed_here(&self) -> Vec<(String, i64)> {
        let commands = list_commands(&self.state).unwrap_or_default();
        let own = commands.into_iter().flatten();
        let own = own.filter(|it| it.identity == self.identity && it.code == Some(0));
        let removed = own.flat_map(|command| {
            let when = command.ended.unwrap_or(command.started).as_second();
            let packages = command.packages.into_iter();
            packages.map(move |package| (package, when))
        });
        removed.collect()
    }

    /// Which names belong to which program: what was said since this computer was opened counts, too.
    pub(crate) fn belongs_now(&self) -> Belongs {
        let read = self.files.read_belongs();
        read.unwrap_or_else(|_| (*self.belongs).clone())
    }

    /// Scans, and waits until it is done; what has not changed since the scan before is taken from
    /// it, and what surveys found gets piles of its own.
    pub(crate) fn scan(
        &self,
        (before, finds): (Option<&Scan>, SurveyFinds),
        cancel: &CancelToken,
        sink: &dyn Fn(ScanEvent),
    ) -> Scan {
        let now = self.now.unwrap_or_else(clock);
        let order = ScanOrder {
            own: self.own.clone(),
            leftovers: finds.leftovers,
            copies: finds.copies,
            // With a moment set by hand nothing is proven about what happened since.
            before: before.filter(|_| self.now.is_none()),
            ..ScanOrder::new(&self.target, &self.rules, now)
        };
        scan(&order, cancel, sink)
    }

    /// What the options narrow a scan to.
    pub(crate) fn selection(&self, options: &SharedOptions) -> Result<Selection, Refusal> {
        let mut exclusions = self.exclusions.clone();
        for pattern in &options.exclusions() {
            let exclusion = Exclusion::of_run(&self.below_root(pattern));
            exclusions.push(exclusion.map_err(|error| {
                Refusal::bad_input(&error, "such as \"home/joss/Downloads\" or \"*.iso\"")
            })?);
        }
        exclusions.extend(kept_sites(&options.keep_site)?);
        let older_than = options
            .older_than
            .as_deref()
            .map(str::parse)
            .transpose()
            .map_err(|error: jolly_core::rule::AgeError| Refusal::bad_input(&error, ""))?;
        let only = self.rule_numbers(&options.only)?;
        let mut skip = self.rule_numbers(&options.skip)?;
        // What is turned off for this computer stays off, unless it is asked for by name, and twice: once may
        // be a script that doesn't know.
        let times = |rule: &RuleNumber| only.iter().filter(|one| *one == rule).count();
        let off = self.rules_off().into_iter();
        skip.extend(off.filter(|rule| times(rule) < 2));
        Ok(Selection {
            only,
            skip,
            classes: options
                .class
                .iter()
                .map(|name| read_class(name))
                .collect::<Result<_, _>>()?,
            accounts: self.accounts(&options.account)?,
            older_than,
            exclusions,
            takes_all: options.all,
            starts: self.starts.clone(),
        })
    }

    /// A pattern as it is meant below the target's root, also when it begins with the folder of
    /// this machine where the target is mounted.
    pub(crate) fn below_root(&self, pattern: &str) -> String {
        let root = self.target.root_path();
        let below = Path::new(pattern).strip_prefix(root).ok();
        let is_elsewhere = root != Path::new("/");
        match below.and_then(Path::to_str).filter(|_| is_elsewhere) {
            Some(below) => format!("/{below}"),
            None => pattern.to_owned(),
        }
    }

    /// The rules that are turned off for this computer.
    pub(crate) fn rules_off(&self) -> Vec<RuleNumber> {
        let off = self.sheet.iter().flat_map(|sheet| &sheet.rules_off);
        // A rule of a book that is no longer there is off already.
        off.filter_map(|id| self.rules.by_id(id)).collect()
    }

    fn rule_numbers(&self, ids: &[String]) -> Result<Vec<RuleNumber>, Refusal> {
        ids.iter()
            .map(|id| {
                self.rules.by_id(id).ok_or_else(|| Refusal {
                    exit: Exit::BadInput,
                    message: format!(
                        "no rule is called \"{}\"\n  `jolly-broom rules list` names them all",
                        Printable(id.as_bytes())
                    ),
                })
            })
            .collect()
    }

    fn accounts(&self, names: &[String]) -> Result<Vec<usize>, Refusal> {
        let known: Vec<&str> = self
            .target
            .accounts
            .iter()
            .map(|account| &*account.name)
            .collect();
        names
            .iter()
            .map(|name| {
                known
                    .iter()
                    .position(|known| known == name)
                    .ok_or_else(|| Refusal {
                        exit: Exit::BadInput,
                        message: format!(
                            "no account is called \"{}\"\n  this target has: {}",
                            Printable(name.as_bytes()),
                            known.join(", ")
                        ),
                    })
            })
            .collect()
    }
}

/// What is spared so that these sites keep what they left.
fn kept_sites(domains: &[String]) -> Result<Vec<Exclusion>, Refusal> {
    let site = |domain: &String| {
        let site = Site::of_host_or_address(domain);
        site.map(Exclusion::of_site).ok_or_else(|| Refusal {
            exit: Exit::BadInput,
            message: format!(
                "\"{}\" is not a site\n  give its domain, such as tides.example",
                Printable(domain.as_bytes())
            ),
        })
    };
    domains.iter().map(site).collect()
}

fn read_class(name: &str) -> Result<Class, Refusal> {
    Class::by_name(name).ok_or_else(|| Refusal {
        exit: Exit::BadInput,
        message: format!(
            "no class is called \"{}\"\n  the classes are: spent, regrows, felt, ask",
            Printable(name.as_bytes())
        ),
    })
}

pub(crate) fn read_layout(name: Option<&str>) -> Result<Option<Layout>, Refusal> {
    name.map(str::parse)
        .transpose()
        .map_err(|error: jolly_core::computer::UnknownLayout| Refusal::bad_input(&error, ""))
}

fn refuse_target(error: &TargetError) -> Refusal {
    Refusal::bad_input(
        error,
        match error {
            TargetError::Absent { .. } | TargetError::NotAFolder { .. } => {
                "give the folder where the disk is mounted with --target"
            }
            TargetError::Unreadable { .. } => "run as the administrator, or mount it readable",
            TargetError::NotRecognised { .. } => {
                "name its layout with --layout, or give the root of a system"
            }
        },
    )
}

/// Opens a target as the options say.
pub(crate) fn open_target(options: &SharedOptions, root: &Path) -> Result<Target, Refusal> {
    let layout = read_layout(options.layout.as_deref())?;
    let environment = |name: &str| std::env::var_os(name);
    let mut target = Target::open(Arc::new(RealDisk), root, layout, &environment)
        .map_err(|error| refuse_target(&error))?;
    match options.aged_by.as_deref() {
        None => {}
        Some("arrived") => target.dates = Dates::Kept,
        Some("modified") => target.dates = Dates::Written,
        Some(other) => {
            return Err(Refusal {
                exit: Exit::BadInput,
                message: format!(
                    "\"{}\" is nothing that ages count from\n  it is `arrived`, or `modified` for a disk that was imaged or restored",
                    Printable(other.as_bytes())
                ),
            });
        }
    }
    Ok(target)
}

/// Whether it was said that the computer is the same one, where only its path tells.
pub(crate) fn same_computer(options: &SharedOptions) -> SameComputer {
    if options.same_computer {
        SameComputer::IsSaid
    } else {
        SameComputer::MustBeKnown
    }
}

/// The folder that `--dustpan` names: what is set aside lies below it, in a folder of our own.
fn dustpan_folder(options: &SharedOptions) -> Result<Option<PathBuf>, Refusal> {
    let Some(path) = &options.dustpan else {
        return Ok(None);
    };
    let whole = std::path::absolute(path).map_err(|error| Refusal::bad_input(&error, ""))?;
    match jolly_disk::trusted_folder(&whole) {
        Ok(Some(_)) => Ok(Some(whole.join(ON_TARGET))),
        Ok(None) => Err(Refusal {
            exit: Exit::BadInput,
            message: format!(
                "there is no folder {}\n  name one on the volume where set-aside things are to wait",
                whole.display()
            ),
        }),
        Err(error) => Err(Refusal::bad_input(&error, STATE_ADVICE)),
    }
}

/// What helps where the state folder can't be used.
pub(crate) const STATE_ADVICE: &str = "name a folder of your own with --state, below folders that only you and the administrator may write to";

/// The state folder that the options name, which nobody else can have filled.
pub(crate) fn open_state(options: &SharedOptions) -> Result<StateFolder, Refusal> {
    let path = state_path(options.state.as_deref())?;
    StateFolder::open(path).map_err(|error| {
        if error.is_doubt() {
            Refusal::bad_input(&error, STATE_ADVICE)
        } else {
            Refusal::failed(&error, STATE_ADVICE)
        }
    })
}

/// `--state`, else the XDG state folder.
fn state_path(given: Option<&Path>) -> Result<PathBuf, Refusal> {
    if let Some(path) = given {
        return std::path::absolute(path).map_err(|error| Refusal::bad_input(&error, ""));
    }
    let base = etcetera::base_strategy::Xdg::new()
        .map_err(|error| Refusal::bad_input(&error, "name a folder for logs with --state"))?;
    let folder = base.state_dir().unwrap_or_else(|| base.data_dir());
    Ok(folder.join("jolly-broom"))
}

/// A path with its links resolved, as far down as it exists.
fn resolve_as_far_as_it_exists(path: &Path) -> PathBuf {
    let mut rest: Vec<OsString> = Vec::new();
    let mut at = path;
    loop {
        if let Ok(real) = at.canonicalize() {
            return rest.iter().rev().fold(real, |path, name| path.join(name));
        }
        match (at.parent(), at.file_name()) {
            (Some(parent), Some(name)) => {
                rest.push(name.to_owned());
                at = parent;
            }
            _ => return path.to_owned(),
        }
    }
}
