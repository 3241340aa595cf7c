//! What of a scan programs can make again: their caches and logs, as things that can be taken.

use std::collections::{HashMap, HashSet};

use crate::computer::TargetPath;
use crate::decide::{Choice, Decisions, Node};
use crate::pile::{Scan, Sum};
use crate::rule::Class;
use crate::source::{FolderId, PileId};
use crate::survey::Inventory;

/// What of one program was found that it can make again.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Renewable {
    /// Each folder with the pile that has something in it.
    pub nodes: Vec<Node>,
    /// All of it together.
    pub found: Sum,
}

/// For each program of an inventory what a scan found of its caches and logs. What is of the class `ask` is decided in its
/// pile alone.
pub fn renewable(scan: &Scan, inventory: &Inventory) -> Vec<Renewable> {
    let mut owners: HashMap<TargetPath, usize> = HashMap::new();
    for (at, program) in inventory.programs.iter().enumerate() {
        let folders = program.footprint.iter().flat_map(|held| &held.renewable);
        owners.extend(folders.map(|path| (path.clone(), at)));
    }
    let paths: HashSet<TargetPath> = owners.keys().cloned().collect();
    let roots: HashMap<FolderId, usize> = scan
        .arena
        .find_folders(&paths)
        .into_iter()
        .filter_map(|(path, folder)| Some((folder, *owners.get(&path)?)))
        .collect();
    // Folders stand behind those that hold them.
    let mut of_folder: Vec<Option<(FolderId, usize)>> =
        Vec::with_capacity(scan.arena.folder_count());
    for (id, _) in scan.arena.folders() {
        let above = scan
            .arena
            .parent_of(id)
            .and_then(|above| of_folder.get(above.as_index()).copied().flatten());
        let own = roots.get(&id).map(|program| (id, *program));
        of_folder.push(above.or(own));
    }
    let mut found = vec![Renewable::default(); inventory.programs.len()];
    let mut known: HashSet<(PileId, FolderId)> = HashSet::new();
    for item in scan.arena.items() {
        let owner = of_folder
            .get(scan.arena.folder(item).as_index())
            .copied()
            .flatten();
        let Some((folder, program)) = owner else {
            continue;
        };
        let pile = scan.arena.pile(item);
        if pile.0 >= scan.piles.len()
            || scan.rules.rule(scan.pile(pile).rule).rule.class == Class::Ask
        {
            continue;
        }
        let Some(own) = found.get_mut(program) else {
            continue;
        };
        if known.insert((pile, folder)) {
            own.nodes.push(Node::Folder(pile, folder));
        }
        own.found.items += 1;
        own.found.bytes = own.found.bytes.saturating_add(scan.arena.frees(item));
    }
    found
}

impl Renewable {
    /// Whether it goes: whatever of it is old enough.
    pub fn goes(&self, decisions: &Decisions) -> bool {
        let goes = |node: &Node| match (decisions.choice(*node), node) {
            (Some(choice), _) => choice == Choice::Take,
            (None, Node::Folder(pile, _)) => decisions.of(*pile).is_taken,
            (None, Node::Item(_)) => false,
        };
        !self.nodes.is_empty() && self.nodes.iter().all(goes)
    }
}
