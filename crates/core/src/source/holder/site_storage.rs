//! Where browsers keep what belongs to one site, told by names alone: rows, folders of one origin, and stores that hold
//! several sites and can't be divided.

use crate::format::Site;
use crate::source::holder::address::site_of;

/// Files and folders of a profile that hold what sites left, all of them together. A name with a slash is one in a folder of
/// that name.
const TOGETHER: &[&str] = words! {
    "cookies" "cookies-journal" "cookies-wal" "cookies-shm" "cookies.sqlite" "cookies.sqlite-wal" "cookies.sqlite-shm"
    "cookies.sqlite-journal" "local storage" "session storage" "file system" "webstorage"
    "service worker/cachestorage" "service worker/database" "webappsstore.sqlite" "ls-archive.sqlite"
};

/// Whether what lies on a path belongs to a site, or may: what holds several sites and can't be divided belongs to each.
pub fn is_of_site(path: &[u8], site: &Site) -> bool {
    let parts: Vec<&[u8]> = path.split(|byte| *byte == b'/').collect();
    // Of a database whose rows are told apart, each is its own site's.
    if let Some(name) = parts.last().filter(|name| is_row(name)) {
        return site_of(name) == Some(site.as_str());
    }
    let mut above = String::new();
    for part in parts {
        let name = String::from_utf8_lossy(part).to_lowercase();
        if sites_of_origin(&name).contains(site) {
            return true;
        }
        let both = format!("{above}/{name}");
        if TOGETHER.contains(&name.as_str()) || TOGETHER.contains(&both.as_str()) {
            return true;
        }
        above = name;
    }
    false
}

/// Whether a name is a row's: a table, a number, and perhaps a site.
fn is_row(name: &[u8]) -> bool {
    let mut words = name.splitn(3, |byte| *byte == b' ');
    let (Some(table), Some(number)) = (words.next(), words.next()) else {
        return false;
    };
    let is_plain = |byte: &u8| byte.is_ascii_alphanumeric() || *byte == b'_';
    let number = number.strip_prefix(b"-").unwrap_or(number);
    !table.is_empty()
        && table.iter().all(is_plain)
        && !number.is_empty()
        && number.iter().all(u8::is_ascii_digit)
}

/// The sites that a folder of one origin is named for: that of the origin itself, and that of the page that embedded it.
/// `https_tides.example_0.indexeddb.leveldb` in one family, `https+++tides.example^partitionKey=…` in the other.
pub fn sites_of_origin(name: &str) -> Vec<Site> {
    let mut sites = Vec::new();
    if let Some((origin, attributes)) = split_gecko(name) {
        sites.extend(Site::of_host(origin));
        // `^partitionKey=%28https%2Cboats.example%29`: scheme, comma, host, and a port behind another comma.
        let plain = attributes.replace("%28", "(").replace("%29", ")");
        let plain = plain.replace("%2c", ",").replace("%2C", ",");
        if let Some((_, key)) = plain.split_once("partitionkey=(") {
            let host = key.split([',', ')']).nth(1);
            sites.extend(host.and_then(Site::of_host));
        }
    } else if let Some(host) = chromium_host(name) {
        sites.extend(Site::of_host(host));
    }
    sites
}

fn split_gecko(name: &str) -> Option<(&str, &str)> {
    let rest = name
        .strip_prefix("https+++")
        .or_else(|| name.strip_prefix("http+++"))?;
    let (origin, attributes) = rest.split_once('^').unwrap_or((rest, ""));
    let host = origin.split_once('+').map_or(origin, |(host, _)| host);
    Some((host, attributes))
}

fn chromium_host(name: &str) -> Option<&str> {
    let rest = name
        .strip_prefix("https_")
        .or_else(|| name.strip_prefix("http_"))?;
    let rest = rest
        .strip_suffix(".indexeddb.leveldb")
        .or_else(|| rest.strip_suffix(".indexeddb.blob"))?;
    Some(rest.rsplit_once('_')?.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_site_left_is_told_by_names() {
        let tides = Site::of_host("www.tides.example").unwrap();
        let is = |path: &str| is_of_site(path.as_bytes(), &tides);
        let default = "home/pia/.config/heron/Default";
        for (path, is_its) in [
            ("Cookies/cookies 12 tides.example", true),
            ("Cookies/cookies 13 boats.example", false),
            ("Cookies/cookies 14", false),
            ("Cookies", true),
            (
                "IndexedDB/https_shop.tides.example_0.indexeddb.leveldb/000003.log",
                true,
            ),
            (
                "IndexedDB/https_nottides.example_0.indexeddb.leveldb/000003.log",
                false,
            ),
            (
                "IndexedDB/https_tides.example_0.indexeddb.blob/1/00/5",
                true,
            ),
            ("Local Storage/leveldb/000005.ldb", true),
            ("Service Worker/CacheStorage/ab/index.txt", true),
            ("Service Worker/ScriptCache/ab_0", false),
            ("Cache/Cache_Data/0011_0", false),
            (
                "storage/default/https+++tides.example+8443/ls/data.sqlite",
                true,
            ),
            (
                "storage/default/https+++cdn.example^partitionKey=%28https%2Ctides.example%29/ls/x",
                true,
            ),
            (
                "storage/default/https+++cdn.example^partitionKey=%28https%2Cboats.example%29/ls/x",
                false,
            ),
        ] {
            assert_eq!(is(&format!("{default}/{path}")), is_its, "{path}");
        }
    }
}
