//! The card of what is in focus inside a pile: what it is, whether it goes, and why.

use jolly_core::decide::{Disposition, Entry, EntryId};
use jolly_core::format::Printable;
use jolly_core::rule::ListFormat;
use jolly_core::source::{FolderId, ItemId, ItemKind};
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, cut_front};
use crate::tui::model::InsideRow;
use crate::tui::theme::Role;
use crate::tui::view::weigh::inside::Page;
use crate::wording::{age, bytes, count, counted, date};

impl Page<'_> {
    pub(super) fn card(&self, row: InsideRow, width: usize) -> Vec<Line<'static>> {
        match row {
            InsideRow::Entry(id) => self.entry_card(id, width),
            InsideRow::Other(folder, at) => self.other_card(folder, at, width),
            InsideRow::More(_) => {
                let text = "   A folder this large is not looked through to its end for what is not of this pile.";
                vec![Line::styled(text, self.theme.style(Role::Quiet))]
            }
        }
    }

    fn entry_card(&self, id: EntryId, width: usize) -> Vec<Line<'static>> {
        let (theme, weigh) = (self.theme, self.weigh);
        let (scan, inside) = (&weigh.scan, &self.opened.inside);
        let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
        let Some(node) = inside.node(scan, id) else {
            return Vec::new();
        };
        let room = width.saturating_sub(44);
        let path = match inside.entry(scan, id) {
            // Of an entry its own name comes first.
            Some(Entry::Item(item)) if scan.arena.kind(item) == ItemKind::Entry => {
                cut(&scan.shown_name(item), room)
            }
            _ => cut_front(&node.path(scan).to_string(), room),
        };
        let mut first = Pieces::default();
        first.add("   ", quiet).add(path, theme.bold(Role::Text));
        let found = inside.found(scan, id);
        let figures = match inside.entry(scan, id) {
            Some(Entry::Item(item)) => self.figures(item),
            _ => format!(
                "{} in {} of this pile, the youngest {} old",
                bytes(found.bytes),
                counted(found.items, "file"),
                age(inside.age(scan, id))
            ),
        };
        first.add(format!("   {figures}"), quiet);
        let mut second = Pieces::default();
        let (word, why) = self.long_why(id);
        second.add(format!("   {word}  "), theme.style(Role::Straw));
        second.add(cut(&why, width.saturating_sub(second.width())), text);
        let compiled = scan.rules.rule(scan.pile(self.view.pile).rule);
        let mut third = Pieces::default();
        third
            .add("   rule  ", quiet)
            .add(compiled.id.to_string(), text);
        let line = format!("{} line {}", compiled.file, compiled.line);
        let room = width.saturating_sub(third.width() + 47);
        if room > 0 {
            third
                .add("   in  ", quiet)
                .add(cut_front(&line, room), text);
        }
        third
            .add("   aged by  ", quiet)
            .add(compiled.rule.age.by.words(), text);
        let mut all = vec![first.line(), second.line(), third.line()];
        if let Some(reason) = inside.reason(id) {
            let mut why = Pieces::default();
            why.add("   why  ", quiet);
            why.add(cut(reason, width.saturating_sub(why.width())), text);
            all.insert(1, why.line());
        }
        if let Some(trashed) = inside.trashed(id) {
            let mut fourth = Pieces::default();
            fourth.add("   lay at  ", quiet);
            let original = trashed.original.clone();
            let original = original.unwrap_or_else(|| "nobody noted where".to_owned());
            fourth.add(cut_front(&original, width.saturating_sub(50)), text);
            fourth.add("   thrown away  ", quiet);
            fourth.add(date(trashed.time), text);
            all.push(fourth.line());
        }
        all
    }

    /// What an item is, in figures.
    fn figures(&self, item: ItemId) -> String {
        let arena = &self.weigh.scan.arena;
        let frees = bytes(arena.frees(item));
        let names = arena.links(item);
        let old = age(self.weigh.scan.age(item));
        match (arena.kind(item), names) {
            (ItemKind::Link, _) => format!("a link, {old}"),
            (ItemKind::Entry, _) => {
                let frees = self.theme.size(arena.frees(item), true);
                let rule = self.weigh.scan.pile(arena.pile(item)).rule;
                let rule = &self.weigh.scan.rules.rule(rule).rule;
                let what = match rule.entries {
                    Some(ListFormat::Rows) => "a row of this database",
                    Some(ListFormat::Registry) => return format!("of this registry, {old} old"),
                    Some(ListFormat::Snapshots) => {
                        return format!("a restore point; holds {frees} alone, made {old} ago");
                    }
                    Some(ListFormat::Xbel | ListFormat::MimeApps) | None => "an entry of this list",
                };
                format!("{what}, frees {frees}, {old} old")
            }
            (ItemKind::File, 1) => format!("frees {frees}, {old} old"),
            (ItemKind::File, _) => {
                format!(
                    "{} in a file of {names} names, {old} old",
                    bytes(arena.size(item))
                )
            }
        }
    }

    /// Whether it goes or stays, and why, in a sentence.
    fn long_why(&self, id: EntryId) -> (&'static str, String) {
        match self.opened.inside.entry(&self.weigh.scan, id) {
            Some(Entry::Item(item)) => self.item_why(item),
            Some(Entry::Folder(folder)) => self.folder_why(id, folder),
            None => ("stays", String::new()),
        }
    }

    fn item_why(&self, item: ItemId) -> (&'static str, String) {
        let weigh = self.weigh;
        let scan = &weigh.scan;
        let decision = weigh.decisions.of(self.view.pile);
        let how = decision.by.words();
        let old = age(scan.age(item));
        if let Some(program) = weigh.program(item) {
            let why = format!("{program} holds it open; a sweep skips it while that is so");
            return ("waits", why);
        }
        let stays = |why: &str| ("stays", why.to_owned());
        match weigh.decisions.standing(scan, item) {
            Disposition::Goes => {
                let limit = decision.limit.map_or_else(
                    || "its pile goes at any age".to_owned(),
                    |limit| format!("{old} old, older than the limit of {limit}"),
                );
                ("goes", format!("{limit}; it {how}"))
            }
            Disposition::GoesByHand => ("goes", format!("taken by hand; it {how}")),
            Disposition::Young(limit) => ("stays", format!("{old} old, younger than {limit}")),
            Disposition::Excluded(at) => ("stays", self.exclusion_words(at)),
            Disposition::LeftByHand => stays("it, or a folder above it, was left by hand"),
            Disposition::StaysWithThing => stays("what it describes stays"),
            Disposition::PileLeft => stays("its pile is left; space takes it alone"),
            Disposition::Blocked => ("stays", self.blocked_words()),
            Disposition::NotIncluded => stays("its rule is turned off"),
        }
    }

    fn folder_why(&self, id: EntryId, folder: FolderId) -> (&'static str, String) {
        let weigh = self.weigh;
        let (scan, pile) = (&weigh.scan, self.view.pile);
        if let Some(at) = weigh.decisions.exclusion_of(scan, pile, folder) {
            return ("stays", self.exclusion_words(at));
        }
        if scan.pile(pile).blocked.is_some() {
            return ("stays", self.blocked_words());
        }
        let decision = weigh.decisions.of(pile);
        let takes = self.opened.takes(scan, &weigh.decisions, id);
        let found = self.opened.inside.found(scan, id);
        let stays = |why: &str| ("stays", why.to_owned());
        match (takes.items, found.items.saturating_sub(takes.items)) {
            (0, _) if !decision.is_taken => {
                stays("its pile is left; space takes what is old enough in it")
            }
            (0, _) => stays("nothing in it goes; its files say why"),
            (_, 0) => {
                let how = decision.by.words();
                ("goes", format!("all that this pile has in it; it {how}"))
            }
            (goes, stay) => {
                let (goes, stay, size) = (count(goes), count(stay), bytes(takes.bytes));
                ("goes", format!("{goes} of its files, {size}; {stay} stay"))
            }
        }
    }

    fn blocked_words(&self) -> String {
        let why = self.weigh.scan.pile(self.view.pile).blocked.as_ref();
        why.map_or_else(String::new, |why| format!("its pile {why}"))
    }

    /// What an exclusion is, and why.
    fn exclusion_words(&self, at: usize) -> String {
        let one = self.weigh.decisions.exclusions().get(at);
        one.map_or_else(String::new, |one| {
            let (scope, spares) = (one.exclusion.scope.words(), &one.exclusion.spares);
            let why = match one.exclusion.why.as_str() {
                "" => String::new(),
                why => format!(", because: {why}"),
            };
            format!("excluded on {scope}: {spares}{why}")
        })
    }

    fn other_card(&self, folder: EntryId, at: usize, width: usize) -> Vec<Line<'static>> {
        let theme = self.theme;
        let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
        let other = self.view.others(folder).and_then(|all| all.all.get(at));
        let Some(other) = other else {
            return Vec::new();
        };
        let mut first = Pieces::default();
        first.add("   ", quiet);
        first.add(Printable(&other.name).to_string(), theme.bold(Role::Text));
        first.add("   not of this pile", quiet);
        let mut second = Pieces::default();
        second.add("   because  ", quiet);
        second.add(
            cut(&other.reason, width.saturating_sub(second.width())),
            text,
        );
        let mut all = vec![first.line(), second.line()];
        if let Some(rule) = other.rule {
            let compiled = self.weigh.scan.rules.rule(rule);
            let mut third = Pieces::default();
            third
                .add("   rule  ", quiet)
                .add(compiled.id.to_string(), text);
            let line = format!("{} line {}", compiled.file, compiled.line);
            third.add("   in  ", quiet).add(line, text);
            all.push(third.line());
        }
        all
    }
}
