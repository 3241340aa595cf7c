//! What is copied before anything goes: bookmarks and logins of profiles, and whole registry hives.

use crate::computer::{Target, TargetPath};
use crate::plan::{Manifest, ManifestItem};
use crate::survey::{Profile, profile_of};

/// What is copied of the profiles that rows of a list go from, and of the hives that values do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SafetyCopies {
    /// The profiles.
    pub profiles: Vec<Profile>,
    /// The registry hives, which are copied whole.
    pub hives: Vec<TargetPath>,
    /// What the copies hold at most, in bytes.
    pub bytes: u64,
}

/// The copies that a sweep of a list begins with.
pub fn safety_copies(target: &Target, manifest: &Manifest) -> SafetyCopies {
    let mut last = TargetPath::default();
    let mut profiles: Vec<Profile> = Vec::new();
    let mut hives: Vec<TargetPath> = Vec::new();
    for item in manifest.items.iter().filter(ManifestItem::needs_copies) {
        let holder = item.file();
        // Items of a holder follow each other.
        if *holder == last {
            continue;
        }
        last = holder.into_owned();
        if !item.is_row() {
            if !hives.contains(&last) {
                hives.push(last.clone());
            }
            continue;
        }
        if let Some(profile) = profile_of(target, &last)
            && !profiles.contains(&profile)
        {
            profiles.push(profile);
        }
    }
    let of_profiles = profiles.iter().map(|profile| size_of(target, profile));
    let of_hives = hives.iter().map(|hive| size_of_hive(target, hive));
    SafetyCopies {
        bytes: of_profiles.chain(of_hives).fold(0, u64::saturating_add),
        profiles,
        hives,
    }
}

impl SafetyCopies {
    /// Whether nothing is copied.
    pub fn is_empty(&self) -> bool {
        self.profiles.is_empty() && self.hives.is_empty()
    }
}

fn size_of_hive(target: &Target, hive: &TargetPath) -> u64 {
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), hive.folder_bytes());
    let stat = folder.and_then(|folder| disk.stat(&folder, hive.as_name()));
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
