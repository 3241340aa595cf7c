//! Rows of browsers' databases: what goes is what was shown, what stays is consistent, and what comes back is what it was.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::decide::{Decisions, Excluded, Exclusion, Selection};
use jolly_core::dustpan::{Pan, PanItem, RestoreOutcome};
use jolly_core::format::Site;
use jolly_core::pile::Scan;
use jolly_core::plan::{Manifest, Outcome, make_manifest};
use jolly_core::run::{
    LogItem, RestoreOrder, RestoreSummary, RunSummary, SameComputer, read_items, recover, rehearse,
    restore,
};
use jolly_demo::{
    Fault, FaultyDisk, MadeCookie, MadeVisit, make_chromium_cookies, make_chromium_history,
    make_gecko_cookies, make_gecko_icons, make_gecko_places,
};
use proptest::prelude::*;
use rusqlite::Connection;

use crate::support::{
    Bench, DAY, NOW, Program, bring_back, context, manifest_of, now, run, run_id, scan_on,
};

const CHROMIUM: &str = "home/ada/.config/heron/Default";
const GECKO: &str = "home/ada/.config/bramble/profiles/x1.ada";

/// Rows of every table, as they read.
type Tables = BTreeMap<String, BTreeSet<String>>;

fn visit() -> impl Strategy<Value = (MadeVisit, bool)> {
    let from = prop::option::of(0_usize..1000);
    (0_u8..5, 0_u8..4, 0_i64..400, from, 0_u8..10, any::<bool>()).prop_map(
        |(site, page, days, from, kind, is_marked)| {
            let page = if page == 0 {
                "search?q=oars".to_owned()
            } else {
                format!("page/{page}")
            };
            let visit = MadeVisit {
                address: format!("https://www.site{site}.example/{page}"),
                seconds: NOW - days * DAY - 60,
                from,
                is_typed: kind < 2,
                is_download: kind == 9,
            };
            (visit, is_marked && days % 7 == 0)
        },
    )
}

/// Visits that come from earlier ones, and which pages are bookmarked.
fn visits() -> impl Strategy<Value = (Vec<MadeVisit>, BTreeSet<String>)> {
    prop::collection::vec(visit(), 1..60).prop_map(|made| {
        let marked = made.iter().filter(|(_, is_marked)| *is_marked);
        let marked = marked.map(|(visit, _)| visit.address.clone()).collect();
        let mut visits: Vec<MadeVisit> = made.into_iter().map(|(visit, _)| visit).collect();
        for (at, visit) in visits.iter_mut().enumerate() {
            let from = visit.from.filter(|_| at > 0);
            visit.from = from.map(|from| from % at.max(1));
        }
        (visits, marked)
    })
}

/// A computer with a profile of each family.
fn bench_of(visits: &[MadeVisit], marked: &BTreeSet<String>, cookies: &[MadeCookie]) -> Bench {
    let bench = Bench::new();
    let text = |path: &str, text: String| bench.tree.text(path, text, DAY).unwrap();
    text("home/ada/.config/heron/Local State", "{}".into());
    text(&format!("{CHROMIUM}/Preferences"), "{}".into());
    let children: Vec<String> = marked
        .iter()
        .map(|url| format!("{{\"url\":\"{url}\"}}"))
        .collect();
    let bookmarks = format!(
        "{{\"roots\":{{\"bar\":{{\"children\":[{}]}}}}}}",
        children.join(",")
    );
    text(&format!("{CHROMIUM}/Bookmarks"), bookmarks);
    text(&format!("{GECKO}/prefs.js"), String::new());
    text(&format!("{GECKO}/times.json"), "{}".into());
    text(&format!("{GECKO}/compatibility.ini"), String::new());
    let at = |path: String| bench.root().join(path);
    make_chromium_history(&at(format!("{CHROMIUM}/History")), visits).unwrap();
    make_gecko_places(&at(format!("{GECKO}/places.sqlite")), visits, marked).unwrap();
    make_chromium_cookies(&at(format!("{CHROMIUM}/Cookies")), cookies).unwrap();
    make_gecko_cookies(&at(format!("{GECKO}/cookies.sqlite")), cookies).unwrap();
    bench
}

fn cookies_of(sites: &[(&str, i64)]) -> Vec<MadeCookie> {
    let cookie = |(host, days): &(&str, i64)| MadeCookie {
        host: (*host).to_owned(),
        name: "session".to_owned(),
        used: NOW - days * DAY,
        until: Some(NOW + 90 * DAY),
    };
    sites.iter().map(cookie).collect()
}

/// Opens a copy of a database with the log beside it, so that nothing is changed by looking.
fn open(path: &Path) -> (tempfile::TempDir, Connection) {
    let dir = tempfile::tempdir().unwrap();
    let copy = dir.path().join("copy");
    std::fs::copy(path, &copy).unwrap();
    let log = PathBuf::from(format!("{}-wal", path.display()));
    if log.exists() {
        std::fs::copy(log, dir.path().join("copy-wal")).unwrap();
    }
    let connection = Connection::open(&copy).unwrap();
    (dir, connection)
}

/// What a database holds; its numbers for rows to come and marks to be counted anew say nothing.
fn dump(path: &Path) -> Tables {
    let (_dir, db) = open(path);
    let ok: String = db
        .query_row("PRAGMA integrity_check", [], |row| row.get(0))
        .unwrap();
    assert_eq!(ok, "ok", "{}", path.display());
    let mut names = db
        .prepare("SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%'")
        .unwrap();
    let names: Vec<String> = names
        .query_map([], |row| row.get(0))
        .unwrap()
        .flatten()
        .collect();
    let mut tables = Tables::new();
    for name in names {
        let mut rows = db.prepare(&format!("SELECT * FROM \"{name}\"")).unwrap();
        let columns: Vec<String> = rows.column_names().map(str::to_owned).collect();
        let mut found = BTreeSet::new();
        let mut rows = rows.query([]).unwrap();
        while let Some(row) = rows.next().unwrap() {
            let values = columns.iter().enumerate();
            let values = values.filter(|(_, column)| !column.starts_with("recalc_"));
            let values: Vec<String> = values
                .map(|(at, column)| format!("{column}={:?}", row.get_ref(at).unwrap()))
                .collect();
            assert!(found.insert(values.join(" ")), "{name}: {values:?}");
        }
        tables.insert(name, found);
    }
    tables
}

/// Rows that only one of two databases has.
fn differences(before: &Tables, after: &Tables) -> Vec<String> {
    let only = |one: &Tables, other: &Tables, sign: &str| -> Vec<String> {
        let rows = one
            .iter()
            .flat_map(|(table, rows)| rows.iter().map(move |row| (table, row)));
        rows.filter(|(table, row)| !other.get(*table).is_some_and(|rows| rows.contains(*row)))
            .map(|(table, row)| format!("{sign} {table}: {row}"))
            .collect()
    };
    [only(before, after, "-"), only(after, before, "+")].concat()
}

/// Whether nothing in a history of the Chromium family points to what isn't there, and all that is counted is.
fn assert_consistent_chromium(path: &Path, marked: &BTreeSet<String>) {
    let (_dir, db) = open(path);
    let list = marked.iter().map(|url| format!("'{url}'"));
    let list = list.collect::<Vec<_>>().join(",");
    for wrong in [
        "SELECT 1 FROM visits WHERE url NOT IN (SELECT id FROM urls)",
        "SELECT 1 FROM visits WHERE from_visit <> 0 AND from_visit NOT IN (SELECT id FROM visits)",
        "SELECT 1 FROM visits WHERE opener_visit <> 0 AND opener_visit NOT IN (SELECT id FROM visits)",
        "SELECT 1 FROM visits WHERE segment_id <> 0 AND segment_id NOT IN (SELECT id FROM segments)",
        "SELECT 1 FROM visits WHERE visited_link_id <> 0 AND visited_link_id NOT IN (SELECT id FROM visited_links)",
        &format!(
            "SELECT 1 FROM urls WHERE id NOT IN (SELECT url FROM visits) AND url NOT IN ({list})"
        ),
        "SELECT 1 FROM urls u WHERE visit_count <> (SELECT count(*) FROM visits v WHERE v.url = u.id)",
        "SELECT 1 FROM urls u WHERE typed_count <> (SELECT total(incremented_omnibox_typed_score) FROM visits v WHERE v.url = u.id)",
        "SELECT 1 FROM urls u WHERE last_visit_time <> coalesce((SELECT max(visit_time) FROM visits v WHERE v.url = u.id), 0)",
        "SELECT 1 FROM visited_links l WHERE visit_count <> (SELECT count(*) FROM visits v WHERE v.visited_link_id = l.id) OR visit_count = 0",
        "SELECT 1 FROM visit_source WHERE id NOT IN (SELECT id FROM visits)",
        "SELECT 1 FROM content_annotations WHERE visit_id NOT IN (SELECT id FROM visits)",
        "SELECT 1 FROM context_annotations WHERE visit_id NOT IN (SELECT id FROM visits)",
        "SELECT 1 FROM clusters_and_visits WHERE visit_id NOT IN (SELECT id FROM visits)",
        "SELECT 1 FROM clusters WHERE cluster_id NOT IN (SELECT cluster_id FROM clusters_and_visits)",
        "SELECT 1 FROM cluster_keywords WHERE cluster_id NOT IN (SELECT cluster_id FROM clusters)",
        "SELECT 1 FROM cluster_visit_duplicates WHERE visit_id NOT IN (SELECT id FROM visits) OR duplicate_visit_id NOT IN (SELECT id FROM visits)",
        "SELECT 1 FROM keyword_search_terms WHERE url_id NOT IN (SELECT id FROM urls)",
        "SELECT 1 FROM segments WHERE url_id NOT IN (SELECT id FROM urls)",
        "SELECT 1 FROM segment_usage WHERE segment_id NOT IN (SELECT id FROM segments)",
        "SELECT 1 FROM downloads_url_chains WHERE id NOT IN (SELECT id FROM downloads)",
    ] {
        assert!(!db.prepare(wrong).unwrap().exists([]).unwrap(), "{wrong}");
    }
}

/// The same of the Gecko family, whose bookmarks are in there, too.
fn assert_consistent_gecko(path: &Path, marked: &BTreeSet<String>) {
    let (_dir, db) = open(path);
    for wrong in [
        "SELECT 1 FROM pragma_foreign_key_check",
        "SELECT 1 FROM moz_historyvisits WHERE place_id NOT IN (SELECT id FROM moz_places)",
        "SELECT 1 FROM moz_historyvisits WHERE from_visit <> 0 AND from_visit NOT IN (SELECT id FROM moz_historyvisits)",
        "SELECT 1 FROM moz_bookmarks WHERE fk IS NOT NULL AND fk NOT IN (SELECT id FROM moz_places)",
        "SELECT 1 FROM moz_places WHERE foreign_count = 0 AND id NOT IN (SELECT place_id FROM moz_historyvisits)",
        "SELECT 1 FROM moz_places p WHERE visit_count <> (SELECT count(*) FROM moz_historyvisits v WHERE v.place_id = p.id AND visit_type <> 7)",
        "SELECT 1 FROM moz_places p WHERE last_visit_date IS NOT (SELECT max(visit_date) FROM moz_historyvisits v WHERE v.place_id = p.id)",
        "SELECT 1 FROM moz_origins WHERE id NOT IN (SELECT origin_id FROM moz_places)",
        "SELECT 1 FROM moz_annos WHERE place_id NOT IN (SELECT id FROM moz_places)",
        "SELECT 1 FROM moz_annos a WHERE NOT EXISTS (SELECT 1 FROM moz_historyvisits v WHERE v.place_id = a.place_id AND visit_type = 7)",
        "SELECT 1 FROM moz_inputhistory WHERE place_id NOT IN (SELECT id FROM moz_places)",
        "SELECT 1 FROM moz_places_metadata WHERE place_id NOT IN (SELECT id FROM moz_places)",
        "SELECT 1 FROM moz_places_metadata_search_queries WHERE id NOT IN (SELECT search_query_id FROM moz_places_metadata)",
    ] {
        assert!(!db.prepare(wrong).unwrap().exists([]).unwrap(), "{wrong}");
    }
    let sql = "SELECT url FROM moz_places WHERE id IN (SELECT fk FROM moz_bookmarks)";
    let mut pages = db.prepare(sql).unwrap();
    let pages = pages.query_map([], |row| row.get(0)).unwrap();
    assert_eq!(&pages.flatten().collect::<BTreeSet<String>>(), marked);
}

fn history(bench: &Bench) -> PathBuf {
    bench.root().join(CHROMIUM).join("History")
}

fn places(bench: &Bench) -> PathBuf {
    bench.root().join(GECKO).join("places.sqlite")
}

fn sweep(bench: &Bench, scan: &Scan, manifest: &Manifest) -> RunSummary {
    run(bench, scan, manifest, "one", &CancelToken::default()).unwrap()
}

fn back(bench: &Bench, scan: &Scan) -> RestoreSummary {
    bring_back(bench, scan, &|_| true)
}

/// The keys of a table.
fn keys(path: &Path, table: &str) -> BTreeSet<i64> {
    let (_dir, db) = open(path);
    let mut rows = db.prepare(&format!("SELECT rowid FROM {table}")).unwrap();
    let keys = rows.query_map([], |row| row.get(0)).unwrap();
    keys.flatten().collect()
}

/// The keys of rows of a table that a list names.
fn listed(manifest: &Manifest, table: &str) -> BTreeSet<i64> {
    let words = |name: &[u8]| String::from_utf8_lossy(name).into_owned();
    let items = manifest.items.iter().filter(|item| item.entry.is_some());
    let names = items.map(|item| words(item.path.name()));
    let of_table = names.filter_map(|name| {
        let key = name.strip_prefix(table)?.strip_prefix(' ')?;
        key.split(' ').next()?.parse().ok()
    });
    of_table.collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, ..ProptestConfig::default() })]

    #[test]
    fn prop_visits_go_as_shown_leave_a_whole_history_and_come_back_as_they_were(
        (visits, marked) in visits(),
        is_logged in any::<bool>(),
    ) {
        let bench = bench_of(&visits, &marked, &[]);
        let (history, places) = (history(&bench), places(&bench));
        let open_log;
        if is_logged {
            // The newest visits are in the write-ahead log alone, as a browser leaves them that was killed.
            let writer = Connection::open(&places).unwrap();
            writer.execute_batch("PRAGMA wal_autocheckpoint = 0; UPDATE moz_places SET title = 'from the log'").unwrap();
            let log = std::fs::read(format!("{}-wal", places.display())).unwrap();
            open_log = (std::fs::read(&places).unwrap(), log);
            drop(writer);
            std::fs::write(&places, &open_log.0).unwrap();
            std::fs::write(format!("{}-wal", places.display()), &open_log.1).unwrap();
        }
        let before = (dump(&history), dump(&places));
        let (of_history, of_places) = (keys(&history, "visits"), keys(&places, "moz_historyvisits"));
        let scan = bench.scan();
        let manifest = manifest_of(&scan, true);
        let (going, gecko_going) = (listed(&manifest, "visits"), listed(&manifest, "moz_historyvisits"));
        let old = visits.iter().filter(|visit| visit.seconds <= NOW - 90 * DAY).count();
        prop_assert_eq!((going.len(), gecko_going.len()), (old, old));
        let never = CancelToken::default();
        let rehearsed = rehearse(&context(&scan), &manifest.clone().confirm(), None, &never, &now, &|_| {});
        let many = manifest.items.len() as u64;
        prop_assert_eq!(rehearsed.unwrap().summary.sum(Outcome::SetAside).items, many);
        prop_assert_eq!((dump(&history), dump(&places)), before.clone());
        let summary = sweep(&bench, &scan, &manifest);
        prop_assert_eq!(summary.sum(Outcome::SetAside).items, many);
        prop_assert_eq!(keys(&history, "visits"), &of_history - &going);
        prop_assert_eq!(keys(&places, "moz_historyvisits"), &of_places - &gecko_going);
        assert_consistent_chromium(&history, &marked);
        assert_consistent_gecko(&places, &marked);
        // Nothing of them is left in the free pages of the file, nor beside it.
        let again = manifest_of(&bench.scan(), true);
        prop_assert!(listed(&again, "visits").is_empty() && listed(&again, "moz_historyvisits").is_empty());
        if many > 0 {
            let returned = back(&bench, &scan);
            prop_assert!(returned.items.iter().all(|(_, back)| *back == RestoreOutcome::There), "{:?}", returned.items);
            prop_assert_eq!(differences(&before.0, &dump(&history)), [""; 0]);
            prop_assert_eq!(differences(&before.1, &dump(&places)), [""; 0]);
        }
        let litter = |path: &Vec<u8>| path.windows(13).any(|it| it == b".jolly-broom-");
        prop_assert!(!bench.paths().iter().any(litter));
    }
}

#[test]
fn a_kept_site_keeps_its_rows_in_both_families_and_cookies_go_alone() {
    let sites = [
        ("www.tides.example", 3),
        (".tides.example", 200),
        (".boats.example", 1),
        ("nas", 5),
    ];
    let bench = bench_of(&[], &BTreeSet::new(), &cookies_of(&sites));
    let scan = bench.scan();
    let selection = Selection {
        takes_all: true,
        exclusions: vec![Exclusion::of_site(Site::of_host("tides.example").unwrap())],
        ..Selection::default()
    };
    let manifest = make_manifest(&scan, &Decisions::new(&scan, &selection).unwrap());
    assert_eq!(manifest.items.len(), 4);
    sweep(&bench, &scan, &manifest);
    let hosts = |path: &str, sql: &str| {
        let (_dir, db) = open(&bench.root().join(path));
        let mut rows = db.prepare(sql).unwrap();
        let hosts = rows.query_map([], |row| row.get::<_, String>(0)).unwrap();
        hosts.flatten().collect::<BTreeSet<_>>()
    };
    let kept = BTreeSet::from(["www.tides.example".to_owned(), ".tides.example".to_owned()]);
    let chromium = format!("{CHROMIUM}/Cookies");
    assert_eq!(hosts(&chromium, "SELECT host_key FROM cookies"), kept);
    let gecko = format!("{GECKO}/cookies.sqlite");
    assert_eq!(hosts(&gecko, "SELECT host FROM moz_cookies"), kept);
    // A site that was signed in to again keeps its new cookie.
    let made = make_chromium_cookies(
        &bench.root().join("new"),
        &cookies_of(&[(".boats.example", 0)]),
    );
    made.unwrap();
    let (_dir, db) = (0, Connection::open(bench.root().join(&chromium)).unwrap());
    let attach = format!("ATTACH '{}' AS new", bench.root().join("new").display());
    db.execute_batch(&attach).unwrap();
    db.execute_batch("INSERT INTO cookies SELECT * FROM new.cookies")
        .unwrap();
    drop(db);
    let returned = back(&bench, &scan);
    let exists = returned
        .items
        .iter()
        .filter(|(_, it)| *it == RestoreOutcome::Exists);
    assert_eq!(exists.count(), 1);
    assert_eq!(hosts(&chromium, "SELECT host_key FROM cookies").len(), 4);
}

/// Some visits, most of them old, with three cookies.
fn some() -> Bench {
    let visit = |number: i64| MadeVisit {
        address: format!("https://site{}.example/page/{number}", number % 3),
        seconds: NOW - number * 20 * DAY,
        from: None,
        is_typed: number % 2 == 0,
        is_download: false,
    };
    let visits: Vec<MadeVisit> = (0..9).map(visit).collect();
    let bench = bench_of(
        &visits,
        &BTreeSet::new(),
        &cookies_of(&[("a.example", 2), ("b.example", 3)]),
    );
    // The log beside one holds everything once more.
    let places = places(&bench);
    let writer = Connection::open(&places).unwrap();
    writer
        .execute_batch("PRAGMA wal_autocheckpoint = 0; UPDATE moz_places SET title = 'x'")
        .unwrap();
    let log = PathBuf::from(format!("{}-wal", places.display()));
    let both = (
        std::fs::read(&places).unwrap(),
        std::fs::read(&log).unwrap(),
    );
    drop(writer);
    std::fs::write(&places, both.0).unwrap();
    std::fs::write(&log, both.1).unwrap();
    bench
}

const OLD_VISITS: &str = "[[rule]]\nid = \"visits\"\ntitle = \"Visits\"\nclass = \"felt\"\nabout = \"a\"\nafter = \"b\"\n\
    age = { limit = \"3 months\" }\n[rule.records]\ndatabase = \"{profile.gecko}/places.sqlite\"\n\
    table = \"moz_historyvisits\"\ntime = { column = \"visit_date\", epoch = \"1970\", unit = \"us\" }\n\
    site = { table = \"moz_places\", column = \"url\", by = \"place_id\" }\n";

/// A sweep that meets a fault at every call of the disk, one after the other, or dies there.
fn at_every_call(has_died: bool) {
    let mut call = 1;
    loop {
        let bench = some().with_book(OLD_VISITS);
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::<FaultyDisk>::clone(&disk));
        let scan = scan_on(&target, &bench.rules());
        let manifest = manifest_of(&scan, true);
        let places = places(&bench);
        let before = keys(&places, "moz_historyvisits");
        let going = listed(&manifest, "moz_historyvisits");
        assert_eq!(going.len(), 4);
        let calls = disk.calls();
        if has_died {
            disk.die_at(call);
        } else {
            disk.fail_at(call);
        }
        let never = CancelToken::default();
        drop(run(&bench, &scan, &manifest, "one", &never));
        let is_over = disk.calls() < calls + call;
        if has_died {
            let known = bench.scan();
            let known = (&*known.target, SameComputer::MustBeKnown);
            drop(recover(&bench.state(), &run_id("one"), known, now()));
        }
        let left = keys(&places, "moz_historyvisits");
        assert_consistent_gecko(&places, &BTreeSet::new());
        let items = read_items(&bench.state(), &run_id("one")).unwrap_or_default();
        let is_gone = |item: &&LogItem| item.outcome == Some(Outcome::SetAside);
        let told: BTreeSet<i64> = items
            .iter()
            .filter(is_gone)
            .map(|item| {
                let within = item.place.within.as_deref().unwrap();
                within.rsplit(' ').next().unwrap().parse().unwrap()
            })
            .collect();
        assert!(told.is_subset(&going));
        if has_died {
            // All of them went, or none did, and none is told to have gone that is there.
            assert!(left == before || left == &before - &going, "call {call}");
            assert!(told.is_disjoint(&left), "call {call}");
        } else {
            assert_eq!(left, &before - &told, "call {call}");
        }
        if is_over {
            assert!(call > 20, "{call}");
            return;
        }
        call += 1;
    }
}

#[test]
fn a_fault_at_any_call_of_the_disk_leaves_each_database_old_or_new() {
    at_every_call(false);
}

#[test]
fn a_death_at_any_call_of_the_disk_leaves_each_database_old_or_new() {
    at_every_call(true);
}

/// Spoils a database.
type Spoil = Box<dyn Fn(&Path)>;

#[test]
fn whatever_is_wrong_with_a_database_nothing_of_it_is_changed_and_the_scan_says_so() {
    let run_sql = |sql: &'static str| {
        move |path: &Path| Connection::open(path).unwrap().execute_batch(sql).unwrap()
    };
    let cases: Vec<(&str, Spoil)> = vec![
        (
            "cut short",
            Box::new(|path| {
                let bytes = std::fs::read(path).unwrap();
                std::fs::write(path, &bytes[..bytes.len() - 5000]).unwrap();
            }),
        ),
        (
            "no SQLite",
            Box::new(|path| std::fs::write(path, vec![0x5a; 20_000]).unwrap()),
        ),
        (
            "damaged",
            Box::new(|path| {
                let mut bytes = std::fs::read(path).unwrap();
                for page in bytes.chunks_mut(4096).skip(1) {
                    page[..600].fill(0xff);
                }
                std::fs::write(path, bytes).unwrap();
            }),
        ),
        (
            "broke off",
            Box::new(|path| {
                std::fs::write(format!("{}-journal", path.display()), [0xd9; 600]).unwrap();
            }),
        ),
        (
            "would run",
            Box::new(run_sql(
                "CREATE TRIGGER t AFTER DELETE ON visits BEGIN DELETE FROM urls; END",
            )),
        ),
        (
            "would run",
            Box::new(run_sql(
                "ALTER TABLE visits ADD COLUMN g INTEGER AS (abs(id)) VIRTUAL",
            )),
        ),
        (
            "would run",
            Box::new(run_sql("CREATE INDEX i ON visits(abs(visit_time))")),
        ),
        (
            "not as its browser",
            Box::new(run_sql(
                "ALTER TABLE urls RENAME COLUMN visit_count TO visits",
            )),
        ),
        (
            "not as its browser",
            Box::new(run_sql(
                "ALTER TABLE urls RENAME TO u; CREATE VIEW urls AS SELECT * FROM u",
            )),
        ),
        (
            "known to nobody",
            Box::new(run_sql("CREATE TABLE notes(visit_id INTEGER, text)")),
        ),
        (
            "known to nobody",
            Box::new(run_sql(
                "CREATE TABLE notes(v INTEGER REFERENCES visits(id) ON DELETE CASCADE)",
            )),
        ),
        (
            "bookmarks",
            Box::new(|path| std::fs::write(path.with_file_name("Bookmarks"), "{").unwrap()),
        ),
        ("no table", Box::new(run_sql("DROP TABLE visits"))),
        (
            "other names",
            Box::new(|path| std::fs::hard_link(path, path.with_file_name("also")).unwrap()),
        ),
    ];
    for (why, spoil) in cases {
        let bench = some();
        let history = history(&bench);
        spoil(&history);
        let before = std::fs::read(&history).unwrap();
        let scan = bench.scan();
        let told = scan.unread.iter().any(|one| one.reason.contains(why));
        assert!(told, "{why}: {:?}", scan.unread);
        let manifest = manifest_of(&scan, true);
        assert!(listed(&manifest, "visits").is_empty(), "{why}");
        sweep(&bench, &scan, &manifest);
        assert_eq!(std::fs::read(&history).unwrap(), before, "{why}");
    }
    // Values of any type and any time are rows like others, or stay without a date.
    let bench = some();
    run_sql(
        "UPDATE visits SET visit_time = 9223372036854775807 WHERE id = 8; \
        UPDATE visits SET visit_time = x'00' WHERE id = 9; UPDATE urls SET url = CAST(x'ff00fe' AS TEXT) WHERE id = 7; \
        UPDATE visits SET app_id = CAST(x'ff' AS TEXT), visit_duration = 1e400 WHERE id = 7",
    )(&history(&bench));
    let before = dump(&history(&bench));
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    assert_eq!(listed(&manifest, "visits"), BTreeSet::from([6, 7]));
    sweep(&bench, &scan, &manifest);
    assert_eq!(keys(&history(&bench), "visits").len(), 7);
    back(&bench, &scan);
    assert_eq!(dump(&history(&bench)), before);
}

#[test]
fn what_was_changed_or_opened_since_the_scan_stays() {
    let bench = some();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let writer = Connection::open(history(&bench)).unwrap();
    writer.execute("UPDATE urls SET title = 'new'", []).unwrap();
    drop(writer);
    let _browser = Program::holding(&places(&bench));
    let before = (dump(&history(&bench)), dump(&places(&bench)));
    sweep(&bench, &scan, &manifest);
    assert_eq!((dump(&history(&bench)), dump(&places(&bench))), before);
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let of = |name: &str| {
        let mut its = items
            .iter()
            .filter(|item| item.place.path.path.ends_with(name));
        its.next().map(|item| (item.outcome, item.kind.clone()))
    };
    assert_eq!(
        of("History"),
        Some((Some(Outcome::Changed), "row".to_owned()))
    );
    assert_eq!(
        of("places.sqlite"),
        Some((Some(Outcome::InUse), "row".to_owned()))
    );
    assert!(
        Excluded::find(
            &scan,
            Exclusion::of_site(Site::of_host("site1.example").unwrap())
        )
        .unwrap()
        .reach
        .found
        .items
            > 0
    );
}

#[test]
fn bookmarks_and_logins_are_copied_before_rows_go_and_no_row_goes_without() {
    let book = OLD_VISITS.replace("[rule.records]", "by = \"remove\"\n[rule.records]");
    let bench = || {
        let bench = some().with_book(&book);
        bench
            .tree
            .text(format!("{GECKO}/logins.json"), "{\"logins\":[1]}", DAY)
            .unwrap();
        bench
            .tree
            .file(format!("{GECKO}/key4.db"), 5000, DAY)
            .unwrap();
        let sql = "INSERT INTO moz_bookmarks(type, fk, parent, position, title, guid) \
            SELECT 1, id, 3, 0, 'Tides <&>', 'b' || id FROM moz_places LIMIT 1";
        Connection::open(places(&bench))
            .unwrap()
            .execute(sql, [])
            .unwrap();
        bench
    };
    let one = bench();
    let scan = one.scan();
    let manifest = manifest_of(&scan, true);
    let going = listed(&manifest, "moz_historyvisits");
    assert_eq!(going.len(), 4);
    sweep(&one, &scan, &manifest);
    assert!(keys(&places(&one), "moz_historyvisits").is_disjoint(&going));
    let pan = Pan::read(&one.state(), &run_id("one")).unwrap().unwrap();
    assert_eq!(pan.held().count(), 0);
    let copies: Vec<String> = pan.copies().map(PanItem::shown).collect();
    let named = |name: &str| format!("{GECKO}/{name}");
    let all = ["logins.json", "key4.db", "bookmarks-one.html"].map(named);
    assert_eq!(copies, all);
    // They are offered by name alone, and put nothing onto what is there.
    let order = RestoreOrder {
        state: &one.state(),
        pan: &pan,
        target: &scan.target,
        when: now(),
        same: SameComputer::IsSaid,
    };
    let never = CancelToken::default();
    let restored = |paths: &[TargetPath]| {
        restore(&order, &|item| item.is_wanted(paths), &never, &|_, _| {}).map(|it| {
            let outcomes = it.items.into_iter();
            outcomes
                .map(|(_, outcome)| outcome.is_back())
                .collect::<Vec<_>>()
        })
    };
    let path = |name: &str| TargetPath::new(named(name)).unwrap();
    assert!(restored(&[]).is_err() && restored(&[TargetPath::new(GECKO).unwrap()]).is_err());
    let logins = one.root().join(named("logins.json"));
    std::fs::write(&logins, "{").unwrap();
    assert_eq!(restored(&[path("logins.json")]).unwrap(), [false]);
    std::fs::rename(&logins, one.root().join(named("logins.bad"))).unwrap();
    let wanted = [path("logins.json"), path("bookmarks-one.html")];
    assert_eq!(restored(&wanted).unwrap(), [true, true]);
    assert_eq!(std::fs::read(&logins).unwrap(), b"{\"logins\":[1]}");
    let html = std::fs::read_to_string(one.root().join(named("bookmarks-one.html"))).unwrap();
    assert!(html.contains(">Tides &lt;&amp;&gt;</A>"), "{html}");

    // Whatever the disk refuses, rows go only when every copy is there.
    let mut call = 1;
    loop {
        let one = bench();
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = one.target_on(Arc::<FaultyDisk>::clone(&disk));
        let scan = scan_on(&target, &one.rules());
        let manifest = manifest_of(&scan, true);
        let calls = disk.calls();
        disk.fail_at(call);
        drop(run(&one, &scan, &manifest, "one", &never));
        let left = keys(&places(&one), "moz_historyvisits");
        if left.is_disjoint(&going) {
            let pan = Pan::read(&one.state(), &run_id("one")).unwrap().unwrap();
            assert_eq!(pan.copies().count(), 3, "call {call}");
        }
        if disk.calls() < calls + call {
            assert!(call > 20 && left.is_disjoint(&going));
            break;
        }
        call += 1;
    }
}

#[test]
fn what_stands_in_place_of_logins_holds_the_rows_of_its_profile_or_nothing() {
    let bench = some();
    // Nobody's passwords take so much, so there is no copy and no row goes; the sweep itself has room all the same.
    let endless = format!("{CHROMIUM}/Login Data");
    bench.tree.sparse(&endless, 1 << 40, 0, DAY).unwrap();
    // These are no files, and lead nowhere.
    bench.tree.pipe(format!("{GECKO}/key4.db"), DAY).unwrap();
    let passwords = Path::new("/etc/passwd");
    bench
        .tree
        .link(format!("{GECKO}/logins.json"), passwords, DAY)
        .unwrap();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let copies = jolly_core::plan::safety_copies(&scan.target, &manifest);
    assert_eq!(copies.profiles.len(), 2);
    assert!(copies.bytes < 1 << 30, "{}", copies.bytes);
    let before = dump(&history(&bench));
    sweep(&bench, &scan, &manifest);
    assert_eq!(dump(&history(&bench)), before);
    let gone = listed(&manifest, "moz_historyvisits");
    assert!(keys(&places(&bench), "moz_historyvisits").is_disjoint(&gone));
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let held = items
        .iter()
        .find(|item| item.place.path.path.ends_with("History"));
    let reason = &held.unwrap().reason;
    assert!(reason.contains("Login Data: it is longer"), "{reason}");
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
    assert_eq!(pan.copies().count(), 0);
}

#[test]
fn icons_go_with_their_pages_but_for_bookmarks_and_come_back() {
    let bench = some();
    let visit = |number: i64| MadeVisit {
        address: format!("https://site{number}.example/page"),
        seconds: NOW - number * 60 * DAY,
        from: None,
        is_typed: false,
        is_download: false,
    };
    let visits: Vec<MadeVisit> = (0..9).map(visit).collect();
    let icons = bench.root().join(GECKO).join("favicons.sqlite");
    make_gecko_icons(&icons, &visits).unwrap();
    let writer = Connection::open(&icons).unwrap();
    // A page with a young icon and an old one, an icon without a page, and one of a whole site.
    writer
        .execute_batch(
            "INSERT INTO moz_icons_to_pages VALUES(1, 9, 0); \
            INSERT INTO moz_icons(id, icon_url, fixed_icon_url_hash, root, expire_ms) VALUES(50, 'https://a.example/', 1, 0, 1), \
            (51, 'https://a.example/', 1, 1, 1);",
        )
        .unwrap();
    drop(writer);
    // The oldest of all is bookmarked.
    let marked = Connection::open(places(&bench)).unwrap();
    marked
        .execute_batch(
            "INSERT INTO moz_places(id, url) VALUES(900, 'https://site8.example/page'); \
            INSERT INTO moz_bookmarks(type, fk, parent, position, guid) VALUES(1, 900, 3, 0, 'b900')",
        )
        .unwrap();
    drop(marked);
    let before = dump(&icons);
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let going = listed(&manifest, "moz_icons");
    assert_eq!(going, BTreeSet::from([5, 6, 7, 8, 50]));
    sweep(&bench, &scan, &manifest);
    assert_eq!(
        keys(&icons, "moz_icons"),
        BTreeSet::from([1, 2, 3, 4, 9, 51])
    );
    assert_eq!(
        keys(&icons, "moz_pages_w_icons"),
        BTreeSet::from([1, 2, 3, 4, 9])
    );
    let (_copy, left) = open(&icons);
    let orphans = "SELECT count(*) FROM moz_icons_to_pages WHERE icon_id NOT IN (SELECT id FROM moz_icons) \
        OR page_id NOT IN (SELECT id FROM moz_pages_w_icons)";
    assert_eq!(
        left.query_row(orphans, [], |row| row.get::<_, i64>(0))
            .unwrap(),
        0
    );
    back(&bench, &scan);
    assert_eq!(dump(&icons), before);
    // Without the bookmarks nobody knows which icons are theirs.
    std::fs::write(
        places(&bench),
        "no database at all, but long enough to be asked",
    )
    .unwrap();
    let scan = bench.scan();
    assert!(listed(&manifest_of(&scan, true), "moz_icons").is_empty());
    assert!(
        scan.unread
            .iter()
            .any(|one| one.reason.contains("bookmarks"))
    );
}

#[test]
fn a_browser_that_ended_since_the_last_look_is_not_waited_for() {
    let book = OLD_VISITS.replace("[rule.records]", "busy = [\"gecko\"]\n[rule.records]");
    let bench = some().with_book(&book);
    let scan = bench.scan();
    let confirmed = manifest_of(&scan, true).confirm();
    let stays = |is_still_there: bool| {
        let browser = Program::holding(&bench.root().join(GECKO).join("cookies.sqlite"));
        let browser = std::cell::RefCell::new(Some(browser));
        let asked = std::cell::Cell::new(0);
        // The clock is asked before the look at who holds what, and again soon after it.
        let clock = || {
            asked.set(asked.get() + 1);
            if asked.get() == 2 && !is_still_there {
                browser.take();
            }
            now()
        };
        let never = CancelToken::default();
        let rehearsed = rehearse(&context(&scan), &confirmed, None, &never, &clock, &|_| {});
        assert!(asked.get() >= 2);
        rehearsed.unwrap().summary.stayed.len()
    };
    assert_eq!((stays(true), stays(false)), (1, 0));
}
