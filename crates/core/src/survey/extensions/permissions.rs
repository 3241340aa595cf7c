//! What an extension may do, in words that a customer understands.

/// Permissions to read and change something beside pages; the names are those of manifests of both families (the
/// community group's text on browser extensions).
const READS: [(&str, &str); 3] = [
    ("cookies", "cookies"),
    ("history", "the history"),
    ("bookmarks", "bookmarks"),
];

/// Other permissions that matter, in the order in which they do.
const KNOWN: [(&[&str], &str); 14] = [
    (&["debugger"], "can drive pages as if it were the person"),
    (
        &["nativeMessaging"],
        "talks with a program outside the browser",
    ),
    (&["proxy"], "can send all traffic another way"),
    (&["management"], "can turn other extensions off"),
    (
        &["webRequest", "webRequestBlocking", "webRequestAuthProvider"],
        "sees what pages load",
    ),
    (
        &[
            "declarativeNetRequest",
            "declarativeNetRequestWithHostAccess",
        ],
        "blocks or redirects what pages load",
    ),
    (
        &["tabs", "webNavigation", "sessions"],
        "sees which pages are open",
    ),
    (
        &["downloads", "downloads.open"],
        "sees and starts downloads",
    ),
    (&["clipboardRead"], "reads what was copied"),
    (
        &["privacy", "browserSettings", "contentSettings"],
        "changes settings of the browser",
    ),
    (&["browsingData"], "can clear what the browser keeps"),
    (&["geolocation"], "asks where the computer is"),
    (
        &["pageCapture", "tabCapture", "desktopCapture"],
        "takes pictures of pages or the screen",
    ),
    (&["notifications"], "shows messages"),
];

/// Permissions that say nothing to a person: they only make it work.
const PLAIN: &[&str] = words! {
    "activeTab" "alarms" "background" "clipboardWrite" "contextMenus" "favicon" "gcm" "identity" "idle" "menus"
    "offscreen" "scripting" "sidePanel" "storage" "theme" "unlimitedStorage"
};

/// How many sites are named.
const NAMED: usize = 3;

/// Whether a pattern of addresses means every site.
fn is_every_site(pattern: &str) -> bool {
    let host = pattern
        .split_once("://")
        .map(|(_, rest)| rest.split('/').next().unwrap_or_default());
    pattern == "<all_urls>" || host == Some("*")
}

/// What the names of permissions and patterns of addresses mean.
pub(super) fn in_words<'a>(names: impl Iterator<Item = &'a str>) -> Vec<String> {
    let (mut known, mut reads) = ([false; KNOWN.len()], [false; READS.len()]);
    let (mut sites, mut other) = (Vec::new(), Vec::new());
    let mut is_everywhere = false;
    for name in names {
        let place = KNOWN.iter().position(|(names, _)| names.contains(&name));
        let read = READS.iter().position(|(known, _)| *known == name);
        let is = place.and_then(|at| known.get_mut(at));
        if let Some(is) = is.or_else(|| read.and_then(|at| reads.get_mut(at))) {
            *is = true;
        } else if is_every_site(name) {
            is_everywhere = true;
        } else if let Some((_, rest)) = name.split_once("://") {
            let host = rest.split('/').next().unwrap_or_default();
            let host = host.trim_start_matches("*.").to_owned();
            if !host.is_empty() && !sites.contains(&host) {
                sites.push(host);
            }
        } else if !PLAIN.contains(&name) && !other.contains(&name) {
            other.push(name);
        }
    }
    let mut read: Vec<String> = if is_everywhere {
        vec!["every page".to_owned()]
    } else {
        named(sites)
    };
    let beside = READS.iter().zip(reads).filter(|(_, is)| *is);
    read.extend(beside.map(|((_, words), _)| (*words).to_owned()));
    let mut words = Vec::new();
    if !read.is_empty() {
        words.push(format!("reads and changes {}", read.join(", ")));
    }
    let meant = KNOWN.iter().zip(known).filter(|(_, is)| *is);
    words.extend(meant.map(|((_, words), _)| (*words).to_owned()));
    if !other.is_empty() {
        words.push(format!("also asks for {}", other.join(", ")));
    }
    words
}

/// The first of some sites, and how many more there are.
fn named(mut sites: Vec<String>) -> Vec<String> {
    let more = sites.len().saturating_sub(NAMED);
    sites.truncate(NAMED);
    if more > 0 {
        sites.push(format!("{more} more sites"));
    }
    sites
}

#[cfg(test)]
mod tests {
    use super::in_words;

    #[test]
    fn what_matters_most_comes_first_and_what_nobody_knows_is_named() {
        let names = [
            "storage",
            "tabs",
            "cookies",
            "https://*/*",
            "https://a.example/*",
            "quantum",
        ];
        assert_eq!(
            in_words(names.into_iter()),
            [
                "reads and changes every page, cookies",
                "sees which pages are open",
                "also asks for quantum"
            ]
        );
        let sites = [
            "*://*.tides.example/*",
            "https://tides.example/x",
            "http://b.example/",
            "ftp://c.example/",
            "https://d.example/",
            "https://e.example/",
        ];
        let words = "reads and changes tides.example, b.example, c.example, 2 more sites";
        assert_eq!(in_words(sites.into_iter()), [words]);
        assert!(in_words(["alarms"].into_iter()).is_empty());
    }
}
