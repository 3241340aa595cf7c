//! What sites keep in folders of a profile: storage of their own, and their share of the cache.

use std::ffi::CString;
use std::io::{Read as _, Seek as _, SeekFrom};

use jolly_disk::{Disk, Folder, Kind};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::format::{Family, Site};
use crate::source::sites_of_origin;
use crate::survey::folders::{bytes_in, names_in, open_below};
use crate::survey::sites::Gathering;

/// The longest key of a cache entry that is read, in bytes.
const MOST_KEY: usize = 4096;

/// Where storage by origin lies below a profile.
fn storage_of(family: Family) -> &'static str {
    match family {
        Family::Chromium => "IndexedDB",
        Family::Gecko => "storage/default",
    }
}

/// Where cached pages lie below a profile or its folder of caches.
fn cache_of(family: Family) -> &'static str {
    match family {
        Family::Chromium => "Cache/Cache_Data",
        Family::Gecko => "cache2/entries",
    }
}

/// Adds the bytes that lie in folders; `folders` are the profile and its folders of caches.
pub(super) fn gather(
    target: &Target,
    (profile, family): (&TargetPath, Family),
    folders: &[&TargetPath],
    gathering: &mut Gathering,
    cancel: &CancelToken,
) {
    let disk = &**target.disk();
    if let Some(storage) = open_below(target, profile, storage_of(family)) {
        for (name, kind) in names_in(disk, &storage) {
            let text = String::from_utf8_lossy(name.to_bytes()).into_owned();
            let Some(site) = sites_of_origin(&text).into_iter().next() else {
                continue;
            };
            if kind == Kind::Folder && !cancel.is_cancelled() {
                let Ok(inner) = disk.open_folder(&storage, name.to_bytes()) else {
                    continue;
                };
                gathering.of(site).storage += bytes_in(disk, &inner);
            }
        }
    }
    for folder in folders {
        let Some(cache) = open_below(target, folder, cache_of(family)) else {
            continue;
        };
        for (name, kind) in names_in(disk, &cache) {
            if cancel.is_cancelled() {
                return;
            }
            if kind != Kind::File {
                continue;
            }
            let Some((address, bytes)) = cached(disk, &cache, &name, family) else {
                continue;
            };
            if let Some(site) = Site::of_address(&address) {
                gathering.of(site).cache += bytes;
            }
        }
    }
}

/// The address of a cache entry, and the bytes that it holds.
fn cached(
    disk: &dyn Disk,
    folder: &Folder,
    name: &CString,
    family: Family,
) -> Option<(String, u64)> {
    let stat = disk.stat(folder, name).ok()?;
    let mut file = disk.open_file(folder, name).ok()?;
    let key = match family {
        Family::Chromium => {
            let mut head = [0; 24];
            file.read_exact(&mut head).ok()?;
            chromium_key_length(&head).and_then(|length| read_key(&mut file, length))?
        }
        Family::Gecko => {
            file.seek(SeekFrom::End(-4)).ok()?;
            let mut offset = [0; 4];
            file.read_exact(&mut offset).ok()?;
            let offset = u64::from(u32::from_be_bytes(offset));
            // Sums over pieces of 256 KiB stand before the numbers.
            let at = offset + 4 + 2 * offset.div_ceil(262_144);
            file.seek(SeekFrom::Start(at)).ok()?;
            let mut head = [0; 32];
            file.read_exact(&mut head).ok()?;
            let length = u32::from_be_bytes(*head.get(24..)?.first_chunk()?);
            read_key(&mut file, length as usize)?
        }
    };
    Some((address_of(&key, family)?.to_owned(), stat.allocated))
}

fn read_key(file: &mut std::fs::File, length: usize) -> Option<String> {
    if length > MOST_KEY {
        return None;
    }
    let mut key = vec![0; length];
    file.read_exact(&mut key).ok()?;
    String::from_utf8(key).ok()
}

/// The length of the key behind the head of an entry of the Chromium family's simple cache.
fn chromium_key_length(head: &[u8; 24]) -> Option<usize> {
    const MAGIC: u64 = 0xfcfb_6d1b_a772_5c30;
    let magic = u64::from_le_bytes(*head.first_chunk()?);
    let length = u32::from_le_bytes(*head.get(12..)?.first_chunk()?);
    (magic == MAGIC).then_some(length as usize)
}

/// The address in a key: behind the last space in one family, behind the first `,:` or `:` in the other.
fn address_of(key: &str, family: Family) -> Option<&str> {
    match family {
        Family::Chromium => key.rsplit(' ').next(),
        Family::Gecko => {
            let start = key.find(",:").map(|at| at + 2);
            let start = start.or_else(|| key.strip_prefix(':').map(|_| 1))?;
            key.get(start..)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_address_of_a_cache_entry_is_in_its_key() {
        let chromium = "1/0/_dk_https://a.example https://a.example https://www.a.example/x.png";
        assert_eq!(
            address_of(chromium, Family::Chromium),
            Some("https://www.a.example/x.png")
        );
        for key in [
            "O^partitionKey=%28https%2Ca.example%29,:https://cdn.example/a.js",
            ":https://cdn.example/a.js",
            "a,:https://cdn.example/a.js",
        ] {
            assert_eq!(
                address_of(key, Family::Gecko),
                Some("https://cdn.example/a.js"),
                "{key}"
            );
        }
        let mut head = [0; 24];
        head[..8].copy_from_slice(&0xfcfb_6d1b_a772_5c30_u64.to_le_bytes());
        head[12] = 9;
        assert_eq!(chromium_key_length(&head), Some(9));
        assert_eq!(chromium_key_length(&[7; 24]), None);
    }
}
