//! The profiles of which bookmarks and logins are copied before rows of them go.

use crate::computer::{Target, TargetPath};
use crate::plan::{Manifest, ManifestItem};
use crate::survey::{Profile, profile_of};

/// What is copied of the profiles that rows of a list go from.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SafetyCopies {
    /// The profiles.
    pub profiles: Vec<Profile>,
    /// What the copies hold at most, in bytes.
    pub bytes: u64,
}

/// The copies that a sweep of a list begins with.
pub fn safety_copies(target: &Target, manifest: &Manifest) -> SafetyCopies {
    let mut last = TargetPath::default();
    let mut profiles: Vec<Profile> = Vec::new();
    for item in manifest.items.iter().filter(ManifestItem::is_row) {
        let database = item.file();
        // Rows of a database follow each other.
        if *database == last {
            continue;
        }
        last = database.into_owned();
        if let Some(profile) = profile_of(target, &last)
            && !profiles.contains(&profile)
        {
            profiles.push(profile);
        }
    }
    let sizes = profiles.iter().map(|profile| size_of(target, profile));
    SafetyCopies {
        bytes: sizes.fold(0, u64::saturating_add),
        profiles,
    }
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
