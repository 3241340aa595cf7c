//! Where a registry names files by their full path, in the keys that the system documents for that.

use crate::format::windows::hive::{Hive, Key, Value};
use crate::format::windows::registry_text::Exported;
use crate::rule::ReferenceKind;
use crate::source::holder::registry::command::{of_command, of_file};

/// A key or value that names files.
pub(super) struct Reference {
    pub kind: ReferenceKind,
    pub exported: Exported,
    /// Everything that it may mean; it leads nowhere if all of that is gone.
    pub leads_to: Vec<String>,
    /// When its key was written last, as FILETIME.
    pub time: u64,
}

/// A hive that is known by its file's name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct HiveRole {
    /// What the registry calls its place.
    pub root: &'static str,
    /// Where the settings of programs begin in it, and what opens what; none where it has none.
    software: Option<&'static str>,
    classes: &'static str,
}

impl HiveRole {
    /// The hive of that file name, letters' case aside.
    pub(super) fn by_name(name: &[u8]) -> Option<Self> {
        let (root, software, classes) = match &name.to_ascii_lowercase()[..] {
            b"software" => ("HKEY_LOCAL_MACHINE\\SOFTWARE", Some(""), "Classes\\"),
            b"ntuser.dat" => (
                "HKEY_CURRENT_USER",
                Some("Software\\"),
                "Software\\Classes\\",
            ),
            b"usrclass.dat" => ("HKEY_CURRENT_USER\\Software\\Classes", None, ""),
            _ => return None,
        };
        Some(Self {
            root,
            software,
            classes,
        })
    }
}

const RUN: [&str; 2] = ["Run", "RunOnce"];
const CURRENT: &str = "Microsoft\\Windows\\CurrentVersion";

/// In which the programs of the smaller bitness have theirs.
const SMALLER: &str = "WOW6432Node\\";

/// References of one hive at most: no real one has as many.
const MOST: usize = 100_000;

/// Everything in a hive that names files by their full path; nothing where that is beyond all measure.
pub(super) fn references(hive: &Hive, role: HiveRole) -> Option<Vec<Reference>> {
    let mut found = Found {
        hive,
        all: Vec::new(),
    };
    if let Some(software) = role.software {
        for bitness in ["", SMALLER] {
            let current = format!("{software}{bitness}{CURRENT}");
            found.run_entries(&current);
            found.uninstall_records(&current);
            found.program_paths(&current);
            found.shared_files(&current);
        }
    }
    found.kinds_of_files(role.classes);
    for bitness in ["", SMALLER] {
        found.parts(&format!("{}{bitness}", role.classes));
        found.libraries(&format!("{}{bitness}TypeLib", role.classes));
    }
    (found.all.len() < MOST).then_some(found.all)
}

struct Found<'a> {
    hive: &'a Hive,
    all: Vec<Reference>,
}

impl Found<'_> {
    fn is_full(&self) -> bool {
        self.all.len() >= MOST
    }

    /// The keys right below a path, each with its own path.
    fn below(&self, path: &str) -> Vec<(String, Key)> {
        let Some(key) = self.hive.key(path) else {
            return Vec::new();
        };
        let keys = self.hive.subkeys(key).into_iter();
        keys.map(|(name, key)| (format!("{path}\\{name}"), key))
            .collect()
    }

    fn add_value(
        &mut self,
        kind: ReferenceKind,
        (path, key): (&str, Key),
        (name, value): (&str, Value),
        leads_to: Option<Vec<String>>,
    ) {
        let (Some(leads_to), false) = (leads_to, self.is_full()) else {
            return;
        };
        let value = self.hive.whole_value(name, value);
        if let (Some(value), Some(time)) = (value, self.hive.time(key)) {
            let key = path.to_owned();
            let exported = Exported::Value { key, value };
            self.all.push(Reference {
                kind,
                exported,
                leads_to,
                time,
            });
        }
    }

    fn add_key(&mut self, kind: ReferenceKind, (path, key): (&str, Key), leads_to: Vec<String>) {
        let Some((parent, name)) = path.rsplit_once('\\').filter(|_| !self.is_full()) else {
            return;
        };
        let Some(tree) = self.hive.tree(name, key) else {
            return;
        };
        let (time, parent) = (tree.time, parent.to_owned());
        let exported = Exported::Key { parent, tree };
        self.all.push(Reference {
            kind,
            exported,
            leads_to,
            time,
        });
    }

    fn run_entries(&mut self, current: &str) {
        for list in RUN {
            let path = format!("{current}\\{list}");
            let Some(key) = self.hive.key(&path) else {
                continue;
            };
            for (name, value) in self.hive.values(key) {
                let command = self.hive.text_of(value);
                let leads_to = command.and_then(|command| of_command(&command));
                let kind = ReferenceKind::RunEntries;
                self.add_value(kind, (&path, key), (&name, value), leads_to);
            }
        }
    }

    fn uninstall_records(&mut self, current: &str) {
        for (path, key) in self.below(&format!("{current}\\Uninstall")) {
            let Some(command) = self.hive.text(key, "UninstallString") else {
                continue;
            };
            let fields = ["DisplayIcon", "InstallLocation"];
            let fields = fields.iter().filter_map(|field| self.hive.text(key, field));
            let named = fields
                .map(|text| of_file(&text))
                .chain([of_command(&command)]);
            // All that it says must be known to be gone, or nothing is said of it.
            if let Some(leads_to) = named.collect::<Option<Vec<_>>>() {
                self.add_key(
                    ReferenceKind::UninstallRecords,
                    (&path, key),
                    leads_to.concat(),
                );
            }
        }
    }

    fn program_paths(&mut self, current: &str) {
        for (path, key) in self.below(&format!("{current}\\App Paths")) {
            let named = self.hive.text(key, "").and_then(|text| of_command(&text));
            if let Some(leads_to) = named {
                self.add_key(ReferenceKind::Associations, (&path, key), leads_to);
            }
        }
    }

    fn shared_files(&mut self, current: &str) {
        let path = format!("{current}\\SharedDLLs");
        let Some(key) = self.hive.key(&path) else {
            return;
        };
        for (name, value) in self.hive.values(key) {
            let kind = ReferenceKind::RegisteredParts;
            self.add_value(kind, (&path, key), (&name, value), of_file(&name));
        }
    }

    /// What the verbs of a kind of files start; nothing where one says it in another way.
    fn verbs(&self, key: Key) -> Vec<(String, Key, Option<Vec<String>>)> {
        let named = |key: Key, name: &str| {
            let mut keys = self.hive.subkeys(key).into_iter();
            keys.find(|(own, _)| own.eq_ignore_ascii_case(name))
                .map(|(_, key)| key)
        };
        let Some(shell) = named(key, "shell") else {
            return Vec::new();
        };
        let verbs = self.hive.subkeys(shell).into_iter();
        verbs
            .map(|(name, verb)| {
                // Another part may do the work, or the installer bring the program when it is asked for.
                let elsewhere = ["DelegateExecute", "command"];
                let is_told_here = |command: &Key| {
                    let mut said = elsewhere.iter().map(|name| self.hive.text(*command, name));
                    said.all(|said| said.is_none()) && named(verb, "DropTarget").is_none()
                };
                let starts = named(verb, "command")
                    .filter(is_told_here)
                    .and_then(|command| self.hive.text(command, ""))
                    .and_then(|command| of_command(&command));
                (name, verb, starts)
            })
            .collect()
    }

    /// What opens files of a kind: each way of opening by itself, a program's own entry whole.
    fn kinds_of_files(&mut self, classes: &str) {
        let classes = classes.trim_end_matches('\\');
        let top = match classes {
            "" => self.hive.root(),
            path => self.hive.key(path),
        };
        let Some(top) = top else { return };
        for (name, key) in self.hive.subkeys(top) {
            if self.is_full() {
                return;
            }
            let dash = if classes.is_empty() { "" } else { "\\" };
            let path = format!("{classes}{dash}{name}");
            if name.eq_ignore_ascii_case("Applications") {
                for (path, key) in self.below(&path) {
                    let verbs = self.verbs(key).into_iter().map(|(_, _, starts)| starts);
                    let starts: Option<Vec<Vec<String>>> = verbs.collect();
                    if let Some(starts) = starts.filter(|starts| !starts.is_empty()) {
                        self.add_key(ReferenceKind::Associations, (&path, key), starts.concat());
                    }
                }
                continue;
            }
            for (verb, key, starts) in self.verbs(key) {
                if let Some(starts) = starts {
                    let path = format!("{path}\\shell\\{verb}");
                    self.add_key(ReferenceKind::Associations, (&path, key), starts);
                }
            }
        }
    }

    /// Parts of programs that others use: the library or the program of each.
    fn parts(&mut self, classes: &str) {
        for (path, key) in self.below(&format!("{classes}CLSID")) {
            // A service may do the work instead.
            if self
                .hive
                .text(key, "AppID")
                .is_some_and(|id| self.is_service(classes, &id))
            {
                continue;
            }
            // Of a value of the key's own name the installer makes the file when it is asked for.
            let told = |name: &str, key: Key| {
                let is_on_demand = self.hive.text(key, name).is_some();
                self.hive.text(key, "").filter(|_| !is_on_demand)
            };
            let servers = self.hive.subkeys(key).into_iter();
            let named: Option<Vec<Vec<String>>> = servers
                .filter_map(|(name, key)| match &*name.to_ascii_lowercase() {
                    "inprocserver32" | "inprocserver" => {
                        Some(told(&name, key).and_then(|text| of_file(&text)))
                    }
                    "localserver32" | "localserver" => {
                        Some(told(&name, key).and_then(|text| of_command(&text)))
                    }
                    // It stands for another part.
                    "treatas" | "autotreatas" => Some(None),
                    _ => None,
                })
                .collect();
            if let Some(named) = named.filter(|named| !named.is_empty()) {
                self.add_key(ReferenceKind::RegisteredParts, (&path, key), named.concat());
            }
        }
    }

    /// Whether a part is given out by a service, by the record of its application.
    fn is_service(&self, classes: &str, id: &str) -> bool {
        let record = self.hive.key(&format!("{classes}AppID\\{id}"));
        record.is_some_and(|record| self.hive.text(record, "LocalService").is_some())
    }

    /// Descriptions of such parts: a key for each version, below which files stand by language and bitness.
    fn libraries(&mut self, path: &str) {
        for (path, _) in self.below(path) {
            for (path, version) in self.below(&path) {
                let languages = self.hive.subkeys(version).into_iter();
                let files = languages
                    .filter(|(name, _)| name.bytes().all(|byte| byte.is_ascii_hexdigit()))
                    .flat_map(|(_, language)| self.hive.subkeys(language))
                    .map(|(_, key)| self.hive.text(key, "").and_then(|text| of_file(&text)));
                let named: Option<Vec<Vec<String>>> = files.collect();
                if let Some(named) = named.filter(|named| !named.is_empty()) {
                    self.add_key(
                        ReferenceKind::RegisteredParts,
                        (&path, version),
                        named.concat(),
                    );
                }
            }
        }
    }
}
