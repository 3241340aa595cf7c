//! What may be packed: what somebody keeps, never what a system, a program or a guard needs under its name.

use crate::computer::{Target, TargetPath};
use crate::rule::{is_system_folder, of_folder};

/// Whether something may be packed.
///
/// # Errors
/// Why not.
pub(crate) fn may_pack(
    target: &Target,
    path: &TargetPath,
    own: &[TargetPath],
) -> Result<(), &'static str> {
    let is_above = |other: &TargetPath| other == path || other.below(path).is_some();
    if path.is_root() || target.places.roots().any(is_above) {
        return Err("a place that programs look for lies there");
    }
    if target
        .accounts
        .iter()
        .any(|account| is_above(&account.home))
    {
        return Err("it is somebody's home, or holds one");
    }
    if target.places.personal.has(path.as_bytes()) {
        return Err("it is one of the folders that an account has");
    }
    if is_system_folder(target.layout, path) {
        return Err("it is of the system, or of a program");
    }
    if own
        .iter()
        .any(|own| is_above(own) || path.below(own).is_some())
    {
        return Err("it is this program's own");
    }
    let guarded = path.parts().find_map(|part| {
        let part = String::from_utf8_lossy(part).to_ascii_lowercase();
        of_folder(&part)
    });
    guarded.map_or(Ok(()), Err)
}
