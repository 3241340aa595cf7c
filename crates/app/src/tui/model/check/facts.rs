//! What else has to be known before a sweep, a line each.

use jolly_core::format::Printable;
use jolly_core::pile::Blocked;
use jolly_core::rule::ListFormat;

use crate::tui::lookups::shown;
use crate::tui::model::check::{Check, Rehearsal};
use crate::wording::{bytes, copied_first, count, counted, day, signs_in_again};

/// One of them.
pub(in crate::tui) struct Fact {
    pub about: &'static str,
    pub says: String,
    /// Whether it speaks against beginning.
    pub is_warning: bool,
    /// The program that it is about: its place in `Check::to_close`.
    pub closes: Option<usize>,
}

/// How many programs to close are named, and how many reasons why something would stay.
const NAMED: usize = 4;

/// How many of the biggest are named.
const BIGGEST: usize = 3;

impl Check {
    /// All that has to be known.
    pub(in crate::tui) fn facts(&self) -> Vec<Fact> {
        let mut all = Vec::new();
        self.rehearsed(&mut all);
        if self.scan.is_partial {
            all.push(warning(
                "partial",
                "The scan was stopped: there may be more.",
            ));
        }
        if let Some(until) = self.until {
            let items = counted(self.aside.items, "item");
            let packed = self.packs.map_or_else(String::new, |packs| {
                format!(", about {} packed", bytes(packs))
            });
            let says = format!(
                "{items} at least until {}{packed}; g at report or arrive gets them back",
                day(until)
            );
            all.push(fact("comes back", says));
        }
        self.dustpan(&mut all);
        all.extend(self.point());
        all.extend(self.upkeep.clone().map(|says| fact("upkeep", says)));
        self.profiles(&mut all);
        for (at, waits) in self.to_close.iter().enumerate().take(NAMED) {
            let verb = if waits.files == 1 { "waits" } else { "wait" };
            let files = counted(waits.files, "file");
            let key = if waits.may_be_asked() {
                "; c asks it to close"
            } else {
                ""
            };
            all.push(Fact {
                about: if at == 0 { "close first" } else { "" },
                says: format!("{}: {files} {verb} for it{key}", waits.name),
                is_warning: false,
                closes: Some(at),
            });
        }
        if let (many @ 1.., caveat) = self.overwritten {
            let says = format!("{} first", counted(many, "file"));
            all.push(match caveat {
                Some(caveat) => warning(
                    "written over",
                    &format!("{says}, but nobody can promise anything here: {caveat}"),
                ),
                None => fact("written over", says),
            });
        }
        all.push(fact("stays", self.stays()));
        if let Some(manifest) = &self.manifest
            && manifest.folders.items > 0
        {
            let says = format!(
                "{} left empty by it",
                counted(manifest.folders.items, "folder")
            );
            all.push(fact("goes, too", says));
        }
        all.push(fact("biggest", self.biggest_words()));
        all
    }

    /// The biggest things that go.
    fn biggest_words(&self) -> String {
        let biggest: Vec<String> = self
            .biggest
            .iter()
            .take(BIGGEST)
            .map(|item| {
                // The last part of where a restore point lies says nothing.
                let is_point = item
                    .entry
                    .is_some_and(|it| it.list == ListFormat::Snapshots);
                let name = Printable(item.path.name()).to_string();
                let name = if is_point { item.shown() } else { name };
                format!("{name} {}", bytes(item.bytes))
            })
            .collect();
        biggest.join("  ·  ")
    }

    /// Whether a restore point is made first, where one can be.
    fn point(&self) -> Option<Fact> {
        let about = "before";
        match self.point {
            (false, _) => None,
            (true, false) => {
                let says = "m has the file system make a restore point before anything goes";
                Some(fact(about, says.to_owned()))
            }
            (true, true) => {
                let says = "a restore point is made first: nothing is given back until m at report lets go of it";
                Some(warning(about, says))
            }
        }
    }

    /// What rows of browser profiles mean that go.
    fn profiles(&self, all: &mut Vec<Fact>) {
        for (at, lost) in self.sign_ins.iter().enumerate() {
            let about = if at == 0 { "sign-ins" } else { "" };
            all.push(fact(about, signs_in_again(lost)));
        }
        if !self.copies.is_empty() {
            all.push(fact(
                "copies",
                format!("first {}", copied_first(&self.copies)),
            ));
        }
    }

    /// Where the dustpan goes, and whether that frees anything.
    fn dustpan(&self, all: &mut Vec<Fact>) {
        match &self.room {
            Err(why) => all.push(warning("dustpan", why)),
            Ok(None) => {}
            Ok(Some(room)) => {
                let place = room.folder.as_ref().map_or_else(
                    || "with the logs".to_owned(),
                    |folder| format!("at {}", shown(folder)),
                );
                let frees = if room.is_targets {
                    "the same volume, so only what packing saves is freed"
                } else {
                    "another volume, so all of it is freed"
                };
                let (needs, free) = (bytes(room.needs), bytes(room.free));
                let says = format!("{place}, on {frees}; needs up to {needs} of {free}");
                all.push(fact("dustpan", says));
            }
        }
    }

    fn stays(&self) -> String {
        let scan = &self.scan;
        let mut parts = vec![format!("{} guarded", count(scan.guarded))];
        if self.spared > 0 {
            parts.push(format!("{} excluded or left by hand", count(self.spared)));
        }
        let unread: u64 = scan.unread.iter().map(|unread| unread.count).sum();
        if unread > 0 {
            parts.push(format!("{} not read", count(unread)));
        }
        // Those that wait for a program are told where it is named.
        let locked = scan.piles.iter();
        let locked = locked.filter(|pile| pile.blocked == Some(Blocked::NeedsAdministrator));
        let locked: u64 = locked.map(|pile| pile.found().items).sum();
        if locked > 0 {
            parts.push(format!("{} need the administrator", count(locked)));
        }
        parts.push("what is in use is skipped and named".to_owned());
        parts.join("  ·  ")
    }

    fn rehearsed(&self, all: &mut Vec<Fact>) {
        let summary = match &self.rehearsal {
            Rehearsal::None => return,
            Rehearsal::UnderWay => {
                all.push(fact("rehearsal", "under way…".to_owned()));
                return;
            }
            Rehearsal::Failed(why) => {
                all.push(warning("rehearsal", why));
                return;
            }
            Rehearsal::Done(summary, _) => summary,
        };
        let parts: Vec<String> = summary
            .outcomes
            .iter()
            .map(|(outcome, sum)| format!("{} {}", count(sum.items), outcome.name()))
            .collect();
        let says = format!("predicts {}; nothing was removed yet", parts.join("  ·  "));
        all.push(fact("rehearsed", says));
        for stayed in summary.stayed.iter().take(NAMED) {
            let says = format!(
                "{} {}: {}, such as {}",
                count(stayed.sum.items),
                stayed.outcome.name(),
                stayed.reason,
                stayed.example
            );
            all.push(fact("would stay", says));
        }
    }
}

fn fact(about: &'static str, says: String) -> Fact {
    Fact {
        about,
        says,
        is_warning: false,
        closes: None,
    }
}

fn warning(about: &'static str, says: &str) -> Fact {
    Fact {
        is_warning: true,
        ..fact(about, says.to_owned())
    }
}
