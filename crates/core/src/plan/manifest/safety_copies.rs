//! What is copied before anything goes: bookmarks and logins of profiles, and whole the registry hives and lists of settings.

use crate::computer::{EntryKind, Target, TargetPath};
use crate::plan::Manifest;
use crate::survey::{Profile, profile_of};

/// What is copied of the profiles that rows of a list go from, and of the hives and lists that values and entries do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SafetyCopies {
    /// The profiles.
    pub profiles: Vec<Profile>,
    /// The registry hives, which are copied whole.
    pub hives: Vec<TargetPath>,
    /// The lists of what opens what, which are copied whole, too.
    pub lists: Vec<TargetPath>,
    /// What the copies hold at most, in bytes.
    pub bytes: u64,
}

/// The copies that a sweep of a list begins with.
pub fn safety_copies(target: &Target, manifest: &Manifest) -> SafetyCopies {
    let mut last = TargetPath::default();
    let mut profiles: Vec<Profile> = Vec::new();
    let (mut hives, mut lists) = (Vec::new(), Vec::new());
    manifest.items.each_view(&mut |_, view| {
        if view.kind() != EntryKind::ListEntry {
            return;
        }
        let item = view.item();
        let holder = item.file();
        // Items of a holder follow each other.
        if !item.needs_copies() || *holder == last {
            return;
        }
        last = holder.into_owned();
        if !item.is_row() {
            let whole: &mut Vec<TargetPath> = if item.is_of_registry() {
                &mut hives
            } else {
                &mut lists
            };
            if !whole.contains(&last) {
                whole.push(last.clone());
            }
            return;
        }
        if let Some(profile) = profile_of(target, &last)
            && !profiles.contains(&profile)
        {
            profiles.push(profile);
        }
    });
    let of_profiles = profiles.iter().map(|profile| size_of(target, profile));
    let whole = hives.iter().chain(&lists);
    let of_whole = whole.map(|holder| size_of_holder(target, holder));
    SafetyCopies {
        bytes: of_profiles.chain(of_whole).fold(0, u64::saturating_add),
        profiles,
        hives,
        lists,
    }
}

impl SafetyCopies {
    /// Whether nothing is copied.
    pub fn is_empty(&self) -> bool {
        self.profiles.is_empty() && self.hives.is_empty() && self.lists.is_empty()
    }
}

fn size_of_holder(target: &Target, holder: &TargetPath) -> u64 {
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), holder.folder_bytes());
    let stat = folder.and_then(|folder| disk.stat(&folder, holder.as_name()));
    stat.map_or(0, |stat| stat.size)
}

fn size_of(target: &Target, profile: &Profile) -> u64 {
    let disk = target.disk();
    let Ok(folder) = disk.open_folder(target.root(), profile.path.as_bytes()) else {
        return 0;
    };
    let sizes = profile.copied().filter_map(|(name, most)| {
        let stat = disk.stat(&folder, name).ok()?;
        // Of one that is too long there will be no copy, and no row goes.
        (stat.size <= most).then_some(stat.size)
    });
    sizes.fold(0, u64::saturating_add)
}
