//! Which folders are whose program's, and what they hold.

use std::collections::{HashMap, HashSet};

use jolly_disk::{FileKey, Folder, Kind};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::survey::folders::names_in;
use crate::survey::kept_in::{Holds, Keeping, kept_in};
use crate::survey::programs::names::{Known, forms, is_common, normal};
use crate::survey::programs::{Footprint, Inventory, Occupied, Program, below};

/// Folders within each other that are measured.
const DEPTH: usize = 64;

/// Finds what is each program's, and measures it.
pub(super) fn measure(target: &Target, found: &mut Inventory, cancel: &CancelToken) {
    let index = NameIndex::of(&found.programs);
    let mut measuring = Measuring {
        target,
        cancel,
        counted: HashSet::new(),
        roots: HashSet::new(),
    };
    for program in &mut found.programs {
        let own = std::mem::take(&mut program.own);
        let mut bytes = Occupied::default();
        for (path, account) in &own {
            if let Some(held) =
                measuring.held(path, *account, Holds::Program, "its record names it")
            {
                bytes.add(&held.bytes);
                program.footprint.push(held);
            }
        }
        program.own = own;
        // What is on the disk counts more than what a record says; of packages most lies elsewhere.
        let recorded = if program.source.is_package() {
            program.bytes.program
        } else {
            0
        };
        if bytes.program > recorded {
            program.bytes.program = bytes.program;
        }
    }
    for keeping in kept_in(target) {
        for (name, kind) in measuring.names(&keeping.path) {
            if cancel.is_cancelled() {
                return;
            }
            let Ok(text) = std::str::from_utf8(&name) else {
                continue;
            };
            if keeping.hidden && !text.starts_with('.') {
                continue;
            }
            let path = below(&keeping.path, &name);
            if let Some((at, known)) = index.owner(text) {
                measuring.give(&mut found.programs, (at, known.words()), &path, &keeping);
            } else if kind == Kind::Folder && index.is_maker(text) {
                for (inner, _) in measuring.names(&path) {
                    let owner = std::str::from_utf8(&inner)
                        .ok()
                        .and_then(|it| index.owner(it));
                    if let Some((at, _)) = owner {
                        let path = below(&path, &inner);
                        let why = (at, "has the program's name, in its maker's folder");
                        measuring.give(&mut found.programs, why, &path, &keeping);
                    }
                }
            }
        }
    }
    for program in &mut found.programs {
        // Settings of the system come with a program and say nothing of its use.
        let is_of_use =
            |it: &&Footprint| it.bytes.program == 0 && !it.path.as_bytes().starts_with(b"etc/");
        let changed = program.footprint.iter().filter(is_of_use);
        let changed = changed.filter_map(|it| it.changed).max();
        // What its system records counts more than what its files say.
        if program.last_used.is_none() {
            program.last_used = changed;
        }
    }
}

/// Programs by the names that are theirs.
pub(in crate::survey) struct NameIndex {
    by_name: HashMap<String, (usize, Known)>,
    makers: HashSet<String>,
}

impl NameIndex {
    pub(in crate::survey) fn of(programs: &[Program]) -> Self {
        let mut by_name: HashMap<String, (usize, Known)> = HashMap::new();
        let mut makers = HashSet::new();
        for (at, program) in programs.iter().enumerate() {
            makers.extend(program.maker.as_deref().map(maker_form));
            for (name, known) in program.names.iter().filter(|(name, _)| !is_common(name)) {
                // A program that somebody wanted comes before a part of the system with the same name.
                let rank = |at: usize, known: Known| (known, !programs[at].is_own_program(), at);
                by_name
                    .entry(name.clone())
                    .and_modify(|have| {
                        if rank(at, *known) < rank(have.0, have.1) {
                            *have = (at, *known);
                        }
                    })
                    .or_insert((at, *known));
            }
        }
        makers.retain(|maker| !is_common(maker));
        Self { by_name, makers }
    }

    /// Whose a folder or file of this name is.
    pub(in crate::survey) fn owner(&self, name: &str) -> Option<(usize, Known)> {
        forms(name)
            .iter()
            .find_map(|form| self.by_name.get(form).copied())
    }

    pub(in crate::survey) fn is_maker(&self, name: &str) -> bool {
        self.makers.contains(&normal(name))
    }
}

/// A maker's name without what only says of which kind of company it is.
fn maker_form(name: &str) -> String {
    let words = name.split([' ', ',']);
    let is_kind =
        |word: &&str| ["inc", "ltd", "llc", "gmbh", "corporation", "co"].contains(&&*normal(word));
    let words: Vec<&str> = words.filter(|word| !is_kind(word)).collect();
    normal(&words.concat())
}

struct Measuring<'a> {
    target: &'a Target,
    cancel: &'a CancelToken,
    /// Files with several names that were counted.
    counted: HashSet<FileKey>,
    /// What was measured: nothing is measured twice.
    roots: HashSet<TargetPath>,
}

impl Measuring<'_> {
    /// What is right in a folder.
    fn names(&self, path: &TargetPath) -> Vec<(Vec<u8>, Kind)> {
        let disk = &**self.target.disk();
        let Ok(folder) = disk.open_folder(self.target.root(), path.as_bytes()) else {
            return Vec::new();
        };
        let mut names = names_in(disk, &folder);
        names.sort();
        let names = names.into_iter();
        names
            .map(|(name, kind)| (name.into_bytes(), kind))
            .collect()
    }

    /// Gives a folder or file to a program.
    fn give(
        &mut self,
        programs: &mut [Program],
        (at, why): (usize, &str),
        path: &TargetPath,
        keeping: &Keeping,
    ) {
        let held = self.held(path, keeping.account, keeping.holds, why);
        if let (Some(held), Some(program)) = (held, programs.get_mut(at)) {
            program.bytes.add(&held.bytes);
            program.footprint.push(held);
        }
    }

    /// Measures a folder or file; nothing where it was measured already, or isn't there.
    fn held(
        &mut self,
        path: &TargetPath,
        account: Option<usize>,
        holds: Holds,
        why: &str,
    ) -> Option<Footprint> {
        let is_below = |path: &TargetPath| {
            let mut above = path.parent();
            while let Some(one) = above {
                if self.roots.contains(&one) {
                    return true;
                }
                above = one.parent().filter(|_| !one.is_root());
            }
            false
        };
        if self.roots.contains(path) || is_below(path) {
            return None;
        }
        let disk = &**self.target.disk();
        let folder = disk
            .open_folder(self.target.root(), path.folder_bytes())
            .ok()?;
        let mut held = Footprint {
            path: path.clone(),
            account,
            bytes: Occupied::default(),
            evidence: why.to_owned(),
            changed: None,
            renewable: Vec::new(),
        };
        if matches!(holds, Holds::Cache | Holds::Logs) {
            held.renewable.push(path.clone());
        }
        if !self.add_up(&folder, path, holds, DEPTH, &mut held) {
            return None;
        }
        self.roots.insert(path.clone());
        Some(held)
    }

    /// Adds up what is there; whether it could be looked at.
    fn add_up(
        &mut self,
        folder: &Folder,
        path: &TargetPath,
        holds: Holds,
        depth: usize,
        held: &mut Footprint,
    ) -> bool {
        let disk = &**self.target.disk();
        let Ok(stat) = disk.stat(folder, path.as_name()) else {
            return false;
        };
        // What is mounted there is another volume's.
        if stat.is_mount || self.cancel.is_cancelled() {
            return false;
        }
        match stat.kind {
            Kind::File => {
                if stat.links > 1 && !self.counted.insert(stat.key) {
                    return true;
                }
                held.changed = held.changed.max(Some(stat.modified.seconds));
                let place = match holds {
                    Holds::Program => &mut held.bytes.program,
                    Holds::Data => &mut held.bytes.data,
                    Holds::Cache => &mut held.bytes.cache,
                    Holds::Logs => &mut held.bytes.logs,
                };
                *place = place.saturating_add(stat.allocated);
            }
            Kind::Folder if depth > 0 => {
                let Ok(inner) = disk.open_folder(folder, path.name()) else {
                    return false;
                };
                for (name, kind) in names_in(disk, &inner) {
                    let within = within(holds, name.to_bytes());
                    let path = below(path, name.to_bytes());
                    if within != holds && kind == Kind::Folder && holds == Holds::Data {
                        held.renewable.push(path.clone());
                    }
                    self.add_up(&inner, &path, within, depth - 1, held);
                }
            }
            Kind::Folder | Kind::Link | Kind::Other => {}
        }
        true
    }
}

/// What something in a folder holds, by its name.
fn within(holds: Holds, name: &[u8]) -> Holds {
    if holds == Holds::Program {
        return holds;
    }
    let Ok(name) = std::str::from_utf8(name) else {
        return holds;
    };
    match &*normal(name) {
        "cache" | "caches" | "codecache" | "gpucache" | "shadercache" | "cachestorage"
        | "cacheddata" | "cache2" => Holds::Cache,
        "log" | "logs" => Holds::Logs,
        _ => holds,
    }
}
