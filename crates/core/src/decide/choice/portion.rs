//! What of a scan is one program's, in whichever piles it lies, as things that can be taken.

use std::collections::{HashMap, HashSet};

use crate::computer::TargetPath;
use crate::decide::{Choice, Decisions, Node};
use crate::pile::{Scan, Sum};
use crate::rule::{BAND_COUNT, Class, Survey, band_of};
use crate::source::{FolderId, ItemId, PileId};
use crate::survey::{Grade, Inventory};

/// What of a scan is one program's.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Portion {
    /// Each folder with the pile that has something in it, and single items.
    pub nodes: Vec<Node>,
    /// All of it together.
    pub found: Sum,
    /// What it frees, by age band.
    pub bands: [u64; BAND_COUNT],
}

/// How much of a portion goes, whatever of it is old enough.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Extent {
    /// Nothing of it.
    #[default]
    Nothing,
    /// Some of it.
    Part,
    /// All.
    All,
}

impl Extent {
    /// How two stand as one.
    #[must_use]
    pub fn with(self, other: Self) -> Self {
        if self == other { self } else { Self::Part }
    }
}

/// For each program of an inventory what a scan found of its caches and logs. What is of the class `ask` is decided in its
/// pile alone.
pub fn renewable(scan: &Scan, inventory: &Inventory) -> Vec<Portion> {
    let mut owners: HashMap<TargetPath, usize> = HashMap::new();
    for (at, program) in inventory.programs.iter().enumerate() {
        let folders = program.footprint.iter().flat_map(|held| &held.renewable);
        owners.extend(folders.map(|path| (path.clone(), at)));
    }
    let may = |pile: PileId| scan.class_of(pile) != Class::Ask;
    portions(scan, (&owners, inventory.programs.len()), &may)
}

/// For each program that is gone, and of it for each folder or file that it left, what a scan found there: what the survey
/// named, and what other piles have of it.
pub fn left_behind(scan: &Scan) -> Vec<Vec<Portion>> {
    let folders = scan.leftovers.iter().flat_map(|left| &left.folders);
    let paths = folders.map(|folder| folder.path.clone());
    let owners: HashMap<TargetPath, usize> = paths.zip(0..).collect();
    let mut each = portions(scan, (&owners, owners.len()), &|_| true).into_iter();
    let leftovers = scan.leftovers.iter();
    leftovers
        .map(|left| each.by_ref().take(left.folders.len()).collect())
        .collect()
}

/// What the scan found of the copies that were chosen to go.
pub fn copies_that_go(scan: &Scan) -> Portion {
    let goes = scan.copies.iter().map(|copy| (copy.goes.clone(), 0));
    let owners: HashMap<TargetPath, usize> = goes.collect();
    let of_copies = |pile| scan.survey_of(pile).is_some_and(Survey::has_twins);
    let found = portions(scan, (&owners, 1), &of_copies).into_iter().next();
    found.unwrap_or_default()
}

/// What the survey is sure of in one of its piles; copies are there only where somebody chose them.
pub(in crate::decide) fn sure_of(scan: &Scan, pile: PileId) -> Vec<Node> {
    match scan.survey_of(pile) {
        Some(Survey::LeftBehind) => {}
        Some(Survey::Copies | Survey::Versions) => {
            let nodes = copies_that_go(scan).nodes.into_iter();
            return nodes.filter(|node| node.pile(scan) == pile).collect();
        }
        None => return Vec::new(),
    }
    let portions = left_behind(scan).into_iter().zip(scan.leftovers.iter());
    let sure = portions.filter(|(_, left)| left.grade == Grade::Sure);
    let nodes = sure.flat_map(|(each, _)| each.into_iter().flat_map(|one| one.nodes));
    nodes.filter(|node| node.pile(scan) == pile).collect()
}

/// What lies at or below some paths, each of one of so many owners.
fn portions(
    scan: &Scan,
    (owners, many): (&HashMap<TargetPath, usize>, usize),
    may: &dyn Fn(PileId) -> bool,
) -> Vec<Portion> {
    let mut found = vec![Portion::default(); many];
    if owners.is_empty() {
        return found;
    }
    let may: Vec<bool> = (0..scan.piles.len())
        .map(|pile| may(PileId(pile)))
        .collect();
    let paths: HashSet<TargetPath> = owners.keys().cloned().collect();
    let owner = |path: &TargetPath| owners.get(path).copied();
    let folders = scan.arena.find_folders(&paths).into_iter();
    let roots: HashMap<FolderId, usize> = folders
        .filter_map(|(path, folder)| Some((folder, owner(&path)?)))
        .collect();
    let items = scan.arena.find_items(&paths).into_iter();
    let single: HashMap<ItemId, usize> = items
        .filter_map(|(path, item)| Some((item, owner(&path)?)))
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
    let mut known: HashSet<(PileId, FolderId)> = HashSet::new();
    // A folder that is empty holds no item, and can be taken all the same.
    for (folder, owner) in &roots {
        let record = scan.arena.record(*folder);
        let pile = record.and_then(|record| record.empty_folder_pile);
        if let (Some(pile), Some(own)) = (pile, found.get_mut(*owner))
            && may.get(pile.0) == Some(&true)
            && known.insert((pile, *folder))
        {
            own.nodes.push(Node::Folder(pile, *folder));
        }
    }
    for item in scan.arena.items() {
        let folder = scan.arena.folder(item).as_index();
        let pile = scan.arena.pile(item);
        if may.get(pile.0) != Some(&true) {
            continue;
        }
        let in_folder = of_folder.get(folder).copied().flatten();
        let (node, owner) = match (in_folder, single.get(&item)) {
            (Some((folder, owner)), _) => (Node::Folder(pile, folder), owner),
            (None, Some(owner)) => (Node::Item(item), *owner),
            (None, None) => continue,
        };
        let Some(own) = found.get_mut(owner) else {
            continue;
        };
        let is_new = match node {
            Node::Folder(pile, folder) => known.insert((pile, folder)),
            Node::Item(_) => true,
        };
        if is_new {
            own.nodes.push(node);
        }
        own.found.items += 1;
        let frees = scan.arena.frees(item);
        own.found.bytes = own.found.bytes.saturating_add(frees);
        if let Some(band) = own.bands.get_mut(band_of(scan.age(item))) {
            *band = band.saturating_add(frees);
        }
    }
    found
}

impl Portion {
    /// How much of it goes.
    pub fn goes(&self, scan: &Scan, decisions: &Decisions) -> Extent {
        self.extent(&|node| match decisions.choice(node) {
            Some(choice) => choice == Choice::Take,
            None => decisions.takes_whole(scan, node.pile(scan)),
        })
    }

    /// How much of it was taken by hand, or as what a survey is sure of.
    pub fn is_chosen(&self, decisions: &Decisions) -> Extent {
        self.extent(&|node| decisions.choice(node) == Some(Choice::Take))
    }

    fn extent(&self, goes: &dyn Fn(Node) -> bool) -> Extent {
        let of_node = |node: &Node| {
            if goes(*node) {
                Extent::All
            } else {
                Extent::Nothing
            }
        };
        let each = self.nodes.iter().map(of_node);
        each.reduce(Extent::with).unwrap_or_default()
    }
}
