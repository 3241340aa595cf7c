//! What a browser writes down while somebody uses it: databases of both families, with their real schemas.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use rusqlite::{Connection, Transaction, params};

use crate::DemoError;

/// Seconds from 1601-01-01 to 1970-01-01, the Chromium family's epoch.
const FROM_1601: i64 = 11_644_473_600;

/// One visit of a page.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MadeVisit {
    /// The address of the page.
    pub address: String,
    /// When, seconds since 1970.
    pub seconds: i64,
    /// The visit that led to it, by its position.
    pub from: Option<usize>,
    /// Whether its address was typed.
    pub is_typed: bool,
    /// Whether it is a download; the Gecko family keeps these among its visits.
    pub is_download: bool,
}

/// One cookie.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MadeCookie {
    /// As a cookie has it: with a dot before it when it is for all hosts below.
    pub host: String,
    /// Its name.
    pub name: String,
    /// When it was used last, seconds since 1970.
    pub used: i64,
    /// Until when it lasts; none for one that ends with the browser.
    pub until: Option<i64>,
}

/// Microseconds since 1601.
fn chromium_time(seconds: i64) -> i64 {
    (seconds + FROM_1601) * 1_000_000
}

/// Makes a database, fills it in one transaction, and gives it its schema's version.
fn make(
    path: &Path,
    schema: &str,
    fill: impl FnOnce(&Transaction<'_>) -> rusqlite::Result<()>,
) -> Result<(), DemoError> {
    let refuse = |source| DemoError::Database {
        path: path.to_owned(),
        source,
    };
    let mut connection = Connection::open(path).map_err(refuse)?;
    connection.execute_batch(schema).map_err(refuse)?;
    let transaction = connection.transaction().map_err(refuse)?;
    fill(&transaction).map_err(refuse)?;
    transaction.commit().map_err(refuse)
}

fn version(tx: &Transaction<'_>, version: &str, compatible: &str) -> rusqlite::Result<()> {
    let sql = "INSERT INTO meta VALUES('version', ?1), ('last_compatible_version', ?2)";
    tx.execute(sql, [version, compatible]).map(drop)
}

/// The numbers of pages, from 1, in the order in which they are visited first.
fn pages(visits: &[MadeVisit]) -> BTreeMap<&str, i64> {
    let mut pages = BTreeMap::new();
    for visit in visits {
        let next = i64::try_from(pages.len()).unwrap_or(0) + 1;
        pages.entry(&*visit.address).or_insert(next);
    }
    pages
}

fn number(at: usize) -> i64 {
    count(at) + 1
}

fn count(many: usize) -> i64 {
    i64::try_from(many).unwrap_or(0)
}

/// A `History` of the Chromium family, with all that belongs to visits, and a list of downloads.
///
/// # Errors
/// When it can't be written.
pub fn make_chromium_history(path: &Path, visits: &[MadeVisit]) -> Result<(), DemoError> {
    make(path, include_str!("schemas/chromium_history.sql"), |tx| {
        version(tx, "70", "16")?;
        let pages = pages(visits);
        for (address, page) in &pages {
            let own = || visits.iter().filter(|visit| visit.address == **address);
            let typed = own().filter(|visit| visit.is_typed).count();
            let last = own().map(|visit| visit.seconds).max().unwrap_or(0);
            tx.execute(
                "INSERT INTO urls VALUES(?1, ?2, ?3, ?4, ?5, ?6, 0)",
                params![
                    page,
                    address,
                    format!("Page {page}"),
                    count(own().count()),
                    count(typed),
                    chromium_time(last)
                ],
            )?;
            if address.contains("?q=") {
                let term = address.rsplit('=').next().unwrap_or_default();
                let sql = "INSERT INTO keyword_search_terms VALUES(2, ?1, ?2, ?2)";
                tx.execute(sql, params![page, term])?;
            }
            if typed > 0 {
                tx.execute(
                    "INSERT INTO segments VALUES(?1, ?2, ?1)",
                    params![page, address],
                )?;
                let sql = "INSERT INTO segment_usage(segment_id, time_slot, visit_count) VALUES(?1, ?2, 1)";
                tx.execute(
                    sql,
                    params![page, chromium_time(last - last.rem_euclid(86_400))],
                )?;
            }
        }
        for (at, visit) in visits.iter().enumerate() {
            chromium_visit(tx, &pages, visits, (at, visit))?;
        }
        for (at, visit) in visits.iter().enumerate().filter(|(_, it)| it.is_download) {
            let (id, began) = (number(at), chromium_time(visit.seconds));
            tx.execute(
                "INSERT INTO downloads VALUES(?1, ?2, '/d/a', '/d/a', ?3, 9, 9, 1, 0, 0, x'', ?3, 0, ?3, 0, '', '', '', ?4, '', \
                 '', '', '', '', '', '', '', '')",
                params![id, format!("guid-{id}"), began, visit.address],
            )?;
            let sql = "INSERT INTO downloads_url_chains VALUES(?1, 0, ?2)";
            tx.execute(sql, params![id, visit.address])?;
        }
        Ok(())
    })
}

fn chromium_visit(
    tx: &Transaction<'_>,
    pages: &BTreeMap<&str, i64>,
    visits: &[MadeVisit],
    (at, visit): (usize, &MadeVisit),
) -> rusqlite::Result<()> {
    let (id, time) = (number(at), chromium_time(visit.seconds));
    let page = pages.get(&*visit.address).copied().unwrap_or(0);
    let from = visit.from.map_or(0, number);
    // Links that were followed are known by where they stood.
    let link = match visit.from.and_then(|from| visits.get(from)) {
        Some(from) => {
            let sql = "SELECT id FROM visited_links WHERE link_url_id = ?1 AND frame_url = ?2";
            let known = tx.query_row(sql, params![page, from.address], |row| row.get::<_, i64>(0));
            if let Ok(known) = known {
                let sql = "UPDATE visited_links SET visit_count = visit_count + 1 WHERE id = ?1";
                tx.execute(sql, [known])?;
                known
            } else {
                let sql = "INSERT INTO visited_links(link_url_id, top_level_url, frame_url, visit_count) VALUES(?1, ?2, ?2, 1)";
                tx.execute(sql, params![page, from.address])?;
                tx.last_insert_rowid()
            }
        }
        None => 0,
    };
    let segment: i64 = tx.query_row(
        "SELECT coalesce(max(id), 0) FROM segments WHERE url_id = ?1",
        [page],
        |row| row.get(0),
    )?;
    tx.execute(
        "INSERT INTO visits(id, url, visit_time, from_visit, transition, segment_id, visit_duration, incremented_omnibox_typed_score, \
         opener_visit, visited_link_id) VALUES(?1, ?2, ?3, ?4, 805306368, ?5, 1000000, ?6, ?7, ?8)",
        params![id, page, time, from, segment, visit.is_typed, if at % 5 == 0 { from } else { 0 }, link],
    )?;
    tx.execute(
        "INSERT INTO content_annotations(visit_id, annotation_flags, page_language, has_url_keyed_image) VALUES(?1, 0, 'en', 0)",
        [id],
    )?;
    tx.execute(
        "INSERT INTO context_annotations(visit_id, context_annotation_flags) VALUES(?1, 0)",
        [id],
    )?;
    if at % 3 == 0 {
        tx.execute("INSERT INTO visit_source VALUES(?1, 0)", [id])?;
    }
    let group = number(at / 4);
    if at % 4 == 0 {
        tx.execute(
            "INSERT INTO clusters VALUES(?1, 0, 'trip', 'trip', 1, '', 0)",
            [group],
        )?;
        tx.execute(
            "INSERT INTO cluster_keywords VALUES(?1, 'boats', 1, 1, '')",
            [group],
        )?;
    }
    tx.execute(
        "INSERT INTO clusters_and_visits VALUES(?1, ?2, 1, 1, ?3, ?3, ?3, 0)",
        params![group, id, visit.address],
    )?;
    if at % 4 == 3 {
        tx.execute(
            "INSERT INTO cluster_visit_duplicates VALUES(?1, ?2)",
            [id, id - 1],
        )?;
    }
    Ok(())
}

/// A `places.sqlite` of the Gecko family. `bookmarked` are addresses; one that was never visited is a page all the same.
///
/// # Errors
/// When it can't be written.
pub fn make_gecko_places(
    path: &Path,
    visits: &[MadeVisit],
    bookmarked: &BTreeSet<String>,
) -> Result<(), DemoError> {
    let schema = concat!(
        "PRAGMA page_size = 32768; PRAGMA user_version = 86; PRAGMA journal_mode = WAL;",
        include_str!("schemas/gecko_places.sql")
    );
    make(path, schema, |tx| {
        tx.execute_batch(
            "INSERT INTO moz_bookmarks(id, type, parent, position, title, guid) VALUES(1, 2, 0, 0, '', 'root________'), \
             (2, 2, 1, 0, 'menu', 'menu________'); \
             INSERT INTO moz_anno_attributes VALUES(1, 'downloads/destinationFileURI'), (2, 'downloads/metaData');",
        )?;
        let mut pages = pages(visits);
        for address in bookmarked {
            let next = i64::try_from(pages.len()).unwrap_or(0) + 1;
            pages.entry(address).or_insert(next);
        }
        for (address, page) in &pages {
            gecko_page(tx, visits, bookmarked, (address, *page))?;
        }
        for (at, visit) in visits.iter().enumerate() {
            let page = pages.get(&*visit.address).copied().unwrap_or(0);
            let kind = if visit.is_download { 7 } else { 1 };
            tx.execute(
                "INSERT INTO moz_historyvisits(id, from_visit, place_id, visit_date, visit_type, session) VALUES(?1, ?2, ?3, ?4, ?5, 0)",
                params![number(at), visit.from.map_or(0, number), page, visit.seconds * 1_000_000, kind],
            )?;
            if visit.is_download {
                for attribute in [1, 2] {
                    tx.execute(
                        "INSERT OR IGNORE INTO moz_annos(place_id, anno_attribute_id, content, dateAdded) VALUES(?1, ?2, 'file:///d/a', ?3)",
                        params![page, attribute, visit.seconds * 1_000_000],
                    )?;
                }
            }
        }
        Ok(())
    })
}

fn gecko_page(
    tx: &Transaction<'_>,
    visits: &[MadeVisit],
    bookmarked: &BTreeSet<String>,
    (address, page): (&str, i64),
) -> rusqlite::Result<()> {
    let own = || visits.iter().filter(|visit| visit.address == address);
    let (prefix, rest) = address.split_once("://").unwrap_or(("", address));
    let host = rest.split('/').next().unwrap_or_default();
    let prefix = format!("{prefix}://");
    let sql = "INSERT OR IGNORE INTO moz_origins(prefix, host, frecency) VALUES(?1, ?2, 100)";
    tx.execute(sql, [&prefix, host])?;
    let sql = "SELECT id FROM moz_origins WHERE prefix = ?1 AND host = ?2";
    let origin: i64 = tx.query_row(sql, [&prefix, host], |row| row.get(0))?;
    let reversed: String = host.chars().rev().chain(['.']).collect();
    let last = own().map(|visit| visit.seconds * 1_000_000).max();
    let is_bookmarked = bookmarked.contains(address);
    tx.execute(
        "INSERT INTO moz_places(id, url, title, rev_host, visit_count, frecency, last_visit_date, guid, foreign_count, url_hash, origin_id) \
         VALUES(?1, ?2, ?3, ?4, ?5, 100, ?6, ?7, ?8, ?1, ?9)",
        params![
            page,
            address,
            format!("Page {page}"),
            reversed,
            count(own().filter(|visit| !visit.is_download).count()),
            last,
            format!("page{page:08}"),
            i64::from(is_bookmarked),
            origin
        ],
    )?;
    if is_bookmarked {
        let sql = "INSERT INTO moz_bookmarks(type, fk, parent, position, title, guid) VALUES(1, ?1, 2, ?1, 'a', ?2)";
        tx.execute(sql, params![page, format!("mark{page:08}")])?;
    }
    if own().any(|visit| visit.is_typed) {
        tx.execute("INSERT INTO moz_inputhistory VALUES(?1, 'boa', 2)", [page])?;
    }
    if let Some(query) = address.split_once("?q=").map(|(_, query)| query) {
        let sql = "INSERT OR IGNORE INTO moz_places_metadata_search_queries(terms) VALUES(?1)";
        tx.execute(sql, [query])?;
        for visit in own() {
            tx.execute(
                "INSERT OR IGNORE INTO moz_places_metadata(place_id, created_at, search_query_id) VALUES(?1, ?2, \
                 (SELECT id FROM moz_places_metadata_search_queries WHERE terms = ?3))",
                params![page, visit.seconds * 1_000, query],
            )?;
        }
    }
    Ok(())
}

/// A `Cookies` of the Chromium family.
///
/// # Errors
/// When it can't be written.
pub fn make_chromium_cookies(path: &Path, cookies: &[MadeCookie]) -> Result<(), DemoError> {
    make(path, include_str!("schemas/chromium_cookies.sql"), |tx| {
        version(tx, "24", "24")?;
        for cookie in cookies {
            let used = chromium_time(cookie.used);
            let until = cookie.until.map_or(0, chromium_time);
            let lasts = i64::from(cookie.until.is_some());
            tx.execute(
                "INSERT OR IGNORE INTO cookies VALUES(?1, ?2, '', ?3, '', x'763130', '/', ?4, 1, 1, ?1, ?5, ?5, 1, 0, 2, 443, ?1, 0, 0)",
                params![used, cookie.host, cookie.name, until, lasts],
            )?;
        }
        Ok(())
    })
}

/// A `cookies.sqlite` of the Gecko family; what ends with the browser isn't in there.
///
/// # Errors
/// When it can't be written.
pub fn make_gecko_cookies(path: &Path, cookies: &[MadeCookie]) -> Result<(), DemoError> {
    let schema = concat!(
        "PRAGMA page_size = 32768; PRAGMA user_version = 17; PRAGMA journal_mode = WAL;",
        include_str!("schemas/gecko_cookies.sql")
    );
    make(path, schema, |tx| {
        for cookie in cookies {
            let Some(until) = cookie.until else { continue };
            let used = cookie.used * 1_000_000;
            tx.execute(
                "INSERT OR IGNORE INTO moz_cookies(name, value, host, path, expiry, lastAccessed, creationTime, isSecure, isHttpOnly) \
                 VALUES(?1, 'v', ?2, '/', ?3, ?4, ?4, 1, 1)",
                params![cookie.name, cookie.host, until * 1_000, used],
            )?;
        }
        Ok(())
    })
}

/// A `Favicons` of the Chromium family: an icon for each site, looked at when its newest page was.
///
/// # Errors
/// When it can't be written.
pub fn make_chromium_icons(path: &Path, visits: &[MadeVisit]) -> Result<(), DemoError> {
    make(path, include_str!("schemas/chromium_favicons.sql"), |tx| {
        version(tx, "9", "9")?;
        let mut icons: BTreeMap<String, (i64, BTreeSet<&str>)> = BTreeMap::new();
        for visit in visits {
            let host = visit.address.split('/').nth(2).unwrap_or_default();
            let icon = icons
                .entry(format!("https://{host}/favicon.ico"))
                .or_default();
            icon.0 = icon.0.max(visit.seconds);
            icon.1.insert(&visit.address);
        }
        for (at, (address, (seconds, pages))) in icons.iter().enumerate() {
            let id = number(at);
            tx.execute(
                "INSERT INTO favicons VALUES(?1, ?2, 1)",
                params![id, address],
            )?;
            let sql = "INSERT INTO favicon_bitmaps(icon_id, last_updated, image_data, width, height) VALUES(?1, ?2, zeroblob(900), 16, 16)";
            tx.execute(sql, params![id, chromium_time(*seconds)])?;
            for page in pages {
                tx.execute(
                    "INSERT INTO icon_mapping(page_url, icon_id) VALUES(?1, ?2)",
                    params![page, id],
                )?;
            }
        }
        Ok(())
    })
}

/// A `favicons.sqlite` of the Gecko family: an icon for each host, which ran out a week after its last visit.
///
/// # Errors
/// When it can't be written.
pub fn make_gecko_icons(path: &Path, visits: &[MadeVisit]) -> Result<(), DemoError> {
    make(path, include_str!("schemas/gecko_favicons.sql"), |tx| {
        let pages = pages(visits);
        let mut icons: BTreeMap<&str, (i64, i64)> = BTreeMap::new();
        for visit in visits {
            let host = visit.address.split('/').nth(2).unwrap_or_default();
            let next = number(icons.len());
            let icon = icons.entry(host).or_insert((next, 0));
            icon.1 = icon.1.max(visit.seconds);
        }
        for (host, (id, seconds)) in &icons {
            let address = format!("https://{host}/icon.png");
            tx.execute(
                "INSERT INTO moz_icons(id, icon_url, fixed_icon_url_hash, width, expire_ms, data) VALUES(?1, ?2, ?1, 16, ?3, zeroblob(900))",
                params![id, address, (seconds + 7 * 86_400) * 1000],
            )?;
        }
        for (address, page) in &pages {
            tx.execute(
                "INSERT INTO moz_pages_w_icons VALUES(?1, ?2, ?1)",
                params![page, address],
            )?;
            let host = address.split('/').nth(2).unwrap_or_default();
            if let Some((id, _)) = icons.get(host) {
                tx.execute(
                    "INSERT INTO moz_icons_to_pages VALUES(?1, ?2, 0)",
                    params![page, id],
                )?;
            }
        }
        Ok(())
    })
}

/// A `Shortcuts` of the Chromium family: what was typed for pages.
///
/// # Errors
/// When it can't be written.
pub fn make_chromium_shortcuts(path: &Path, visits: &[MadeVisit]) -> Result<(), DemoError> {
    make(path, include_str!("schemas/chromium_shortcuts.sql"), |tx| {
        version(tx, "2", "1")?;
        for (at, visit) in visits.iter().enumerate().filter(|(_, it)| it.is_typed) {
            tx.execute(
                "INSERT INTO omni_box_shortcuts(id, text, url, last_access_time, number_of_hits) VALUES(?1, 'boa', ?2, ?3, 2)",
                params![format!("shortcut-{at}"), visit.address, chromium_time(visit.seconds)],
            )?;
        }
        Ok(())
    })
}
