//! Single things that are taken or left, whatever becomes of the rest of their pile.

pub(super) mod portion;

use std::collections::{HashMap, HashSet};

use crate::computer::TargetPath;
use crate::pile::Scan;
use crate::source::{Arena, FolderId, ItemId, PileId};

/// What was chosen for one thing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Choice {
    /// An item goes whatever its age; of a folder goes what is old enough, even if its pile stays.
    Take,
    /// It stays, with all that lies below it.
    Leave,
}

/// One thing that can be chosen.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Node {
    /// What one pile has in a folder.
    Folder(PileId, FolderId),
    /// One item.
    Item(ItemId),
}

impl Node {
    /// The pile that it is of.
    pub fn pile(self, scan: &Scan) -> PileId {
        match self {
            Self::Folder(pile, _) => pile,
            Self::Item(item) => scan.arena.pile(item),
        }
    }

    /// Its path below the target's root.
    pub fn path(self, scan: &Scan) -> TargetPath {
        match self {
            Self::Folder(_, folder) => scan.arena.folder_path(folder),
            Self::Item(item) => scan.arena.path(item),
        }
    }
}

/// What holds in a folder for one pile.
#[derive(Clone, Copy, Debug)]
pub(super) struct Above {
    /// What was chosen for it or the nearest folder above.
    pub(super) choice: Option<Choice>,
    /// Whether anything was chosen for an item right in it.
    pub(super) has_items: bool,
}

/// Everything that was chosen by hand.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Choices(HashMap<Node, Choice>);

impl Choices {
    /// What was chosen for exactly this.
    pub(super) fn of(&self, node: Node) -> Option<Choice> {
        self.0.get(&node).copied()
    }

    /// Whether anything was chosen in a pile.
    pub(super) fn has_any_in(&self, scan: &Scan, pile: PileId) -> bool {
        self.0.keys().any(|node| node.pile(scan) == pile)
    }

    /// What was chosen for an item, or for the nearest folder that holds it.
    pub(super) fn of_item(&self, scan: &Scan, item: ItemId) -> Option<Choice> {
        let pile = scan.arena.pile(item);
        self.of(Node::Item(item))
            .or_else(|| self.of_folder(&scan.arena, pile, scan.arena.folder(item)))
    }

    /// What was chosen for a folder, or for the nearest one that holds it.
    pub(super) fn of_folder(
        &self,
        arena: &Arena,
        pile: PileId,
        folder: FolderId,
    ) -> Option<Choice> {
        if self.0.is_empty() {
            return None;
        }
        let mut at = Some(folder);
        while let Some(folder) = at {
            if let Some(choice) = self.of(Node::Folder(pile, folder)) {
                return Some(choice);
            }
            at = arena.parent_of(folder);
        }
        None
    }

    /// For every folder, what holds in it for one pile: its own choice or the nearest above.
    pub(super) fn by_folder(&self, arena: &Arena, pile: PileId) -> Vec<Above> {
        let mut all: Vec<Above> = Vec::with_capacity(arena.folder_count());
        for (id, record) in arena.folders() {
            let above = record.parent.and_then(|parent| all.get(parent.as_index()));
            let own = self.of(Node::Folder(pile, id));
            all.push(Above {
                choice: own.or(above.and_then(|above| above.choice)),
                has_items: false,
            });
        }
        for node in self.0.keys() {
            if let Node::Item(item) = node
                && let Some(above) = all.get_mut(arena.folder(*item).as_index())
            {
                above.has_items = true;
            }
        }
        all
    }

    /// Chooses anew for one thing; what was chosen below it is forgotten.
    pub(super) fn set(&mut self, scan: &Scan, node: Node, choice: Option<Choice>) {
        if let Node::Folder(pile, folder) = node {
            self.0.retain(|known, _| {
                known.pile(scan) != pile || !is_below(&scan.arena, *known, folder)
            });
        }
        match choice {
            Some(choice) => self.0.insert(node, choice),
            None => self.0.remove(&node),
        };
    }

    /// Forgets what was chosen in some piles.
    pub(super) fn forget(&mut self, scan: &Scan, piles: &[PileId]) {
        self.0.retain(|node, _| !piles.contains(&node.pile(scan)));
    }

    /// Everything that was chosen.
    pub(super) fn nodes(&self) -> impl Iterator<Item = Node> {
        self.0.keys().copied()
    }

    /// The same choices about other things; what has no other is forgotten.
    pub(super) fn carried(&self, other: &HashMap<Node, Node>) -> Self {
        let carried = self.0.iter();
        Self(
            carried
                .filter_map(|(node, choice)| Some((*other.get(node)?, *choice)))
                .collect(),
        )
    }
}

/// For things of one scan the same ones in another scan of the same computer, by path.
pub(super) fn same_nodes(
    nodes: &HashSet<Node>,
    from: &Scan,
    to: &Scan,
    pile_of: &[Option<PileId>],
) -> HashMap<Node, Node> {
    let mut folders: HashMap<TargetPath, Vec<(Node, PileId)>> = HashMap::new();
    let mut items: HashMap<TargetPath, Node> = HashMap::new();
    for node in nodes {
        let path = node.path(from);
        match node {
            Node::Item(_) => drop(items.insert(path, *node)),
            Node::Folder(pile, _) => {
                let pile = pile_of.get(pile.0).copied().flatten();
                let known = folders.entry(path).or_default();
                known.extend(pile.map(|pile| (*node, pile)));
            }
        }
    }
    let mut same = HashMap::new();
    let paths: HashSet<TargetPath> = folders.keys().cloned().collect();
    for (path, folder) in to.arena.find_folders(&paths) {
        for (node, pile) in folders.get(&path).into_iter().flatten() {
            same.insert(*node, Node::Folder(*pile, folder));
        }
    }
    if !items.is_empty() {
        let paths: HashSet<TargetPath> = items.keys().cloned().collect();
        for (path, item) in to.arena.find_items(&paths) {
            same.extend(items.get(&path).map(|node| (*node, Node::Item(item))));
        }
    }
    same
}

/// Whether a thing is a folder, or lies in it at any depth.
fn is_below(arena: &Arena, node: Node, folder: FolderId) -> bool {
    let mut at = match node {
        Node::Folder(_, own) => Some(own),
        Node::Item(item) => Some(arena.folder(item)),
    };
    while let Some(known) = at {
        if known == folder {
            return true;
        }
        at = arena.parent_of(known);
    }
    false
}
