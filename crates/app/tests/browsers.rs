//! Real browsers of both families: a profile is made by using one, rows of it are swept, and the browser is used again. It
//! opens without a repair, sends the kept cookie and none of the others, and its bookmarks and sign-ins are there.
//!
//! `scripts/check-browsers` installs both and runs this.

#![allow(
    clippy::unwrap_used,
    clippy::panic,
    clippy::too_many_lines,
    reason = "a test that can't go on says so, and tells its story in one piece"
)]

use std::collections::BTreeMap;
use std::io::{BufRead as _, BufReader, Write as _};
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use rusqlite::Connection;

/// The last cookie that came with a request, by host and path.
type Asked = Arc<Mutex<BTreeMap<(String, String), Option<String>>>>;

/// Serves a page for every host, which sets a cookie that lasts; tells what was asked, and the port.
fn serve() -> (Asked, u16) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    let asked = Asked::default();
    let seen = Arc::clone(&asked);
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            let seen = Arc::clone(&seen);
            std::thread::spawn(move || answer(stream, &seen));
        }
    });
    (asked, port)
}

fn answer(mut stream: std::net::TcpStream, seen: &Asked) {
    let mut reader = BufReader::new(stream.try_clone().unwrap());
    let mut line = String::new();
    if reader.read_line(&mut line).is_err() {
        return;
    }
    let path = line.split(' ').nth(1).unwrap_or("/").to_owned();
    let (mut host, mut cookie) = (String::new(), None);
    loop {
        line.clear();
        if reader.read_line(&mut line).is_err() || line.trim().is_empty() {
            break;
        }
        let Some((name, value)) = line.trim().split_once(": ") else {
            continue;
        };
        match &*name.to_lowercase() {
            "host" => value
                .split(':')
                .next()
                .unwrap_or_default()
                .clone_into(&mut host),
            "cookie" => cookie = Some(value.to_owned()),
            _ => {}
        }
    }
    let body = format!("<title>{host}</title><script>localStorage.tide = 1</script>");
    let head = format!(
        "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: {}\r\nConnection: close\r\n\
         Set-Cookie: session={host}; Max-Age=31536000; HttpOnly; Path=/\r\n\r\n",
        body.len()
    );
    seen.lock().unwrap().insert((host, path), cookie);
    drop(stream.write_all((head + &body).as_bytes()));
}

/// A root with one account, in which a browser is used.
struct Root {
    dir: tempfile::TempDir,
    asked: Asked,
    port: u16,
}

const HOSTS: [&str; 3] = ["tides.example", "boats.example", "slipway.example"];

impl Root {
    fn new() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let root = dir.path().join("root");
        std::fs::create_dir_all(root.join("etc")).unwrap();
        std::fs::create_dir_all(root.join("home/pia")).unwrap();
        let passwd = "root:x:0:0::/root:/bin/sh\npia:x:1000:1000::/home/pia:/bin/sh\n";
        std::fs::write(root.join("etc/passwd"), passwd).unwrap();
        std::fs::write(root.join("etc/os-release"), "ID=till\n").unwrap();
        let (asked, port) = serve();
        Self { dir, asked, port }
    }

    fn home(&self) -> PathBuf {
        self.dir.path().join("root/home/pia")
    }

    /// What came with the request of a page of a host.
    fn cookie(&self, host: &str, page: &str) -> Option<String> {
        let key = (host.to_owned(), format!("/{page}"));
        let asked = self.asked.lock().unwrap();
        let came = asked.get(&key);
        came.unwrap_or_else(|| panic!("{host} was never asked for {page}"))
            .clone()
    }

    /// Sweeps all cookies but one site's, and visits from more than three months ago.
    fn sweep(&self) {
        let state = self.dir.path().join("state");
        let ended = Command::new(env!("CARGO_BIN_EXE_jolly-broom"))
            .args([
                "sweep",
                "--yes",
                "--all",
                "--keep-site",
                "tides.example",
                "--only",
            ])
            .arg("chromium-cookies,gecko-cookies,chromium-history,gecko-history")
            .arg("--target")
            .arg(self.dir.path().join("root"))
            .arg("--state")
            .arg(state)
            .output()
            .unwrap();
        let told = String::from_utf8_lossy(&ended.stderr);
        assert!(ended.status.success(), "{told}");
    }

    fn check_cookies(&self) {
        for host in HOSTS {
            assert_eq!(self.cookie(host, "first"), None);
            let kept = (host == "tides.example").then(|| format!("session={host}"));
            assert_eq!(self.cookie(host, "second"), kept, "{host}");
        }
    }
}

/// Moves what a database says of one host a year back.
fn age(database: &Path, statements: &str) {
    let db = Connection::open(database).unwrap();
    db.execute_batch(statements).unwrap();
    db.execute_batch("PRAGMA wal_checkpoint(TRUNCATE)").ok();
}

/// What a question to a copy of a database answers.
fn ask(database: &Path, sql: &str) -> Vec<String> {
    let dir = tempfile::tempdir().unwrap();
    let copy = dir.path().join("copy");
    std::fs::copy(database, &copy).unwrap();
    let log = PathBuf::from(format!("{}-wal", database.display()));
    if log.exists() {
        std::fs::copy(log, dir.path().join("copy-wal")).unwrap();
    }
    let db = Connection::open(copy).unwrap();
    let ok: String = db
        .query_row("PRAGMA integrity_check", [], |row| row.get(0))
        .unwrap();
    assert_eq!(ok, "ok");
    let mut rows = db.prepare(sql).unwrap();
    let rows = rows.query_map([], |row| row.get(0)).unwrap();
    rows.flatten().collect()
}

fn run(command: &mut Command) {
    let mut child = command
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    for _ in 0..600 {
        if child.try_wait().unwrap().is_some() {
            return;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    child.kill().unwrap();
    panic!("the browser didn't end");
}

#[test]
#[ignore = "needs the browser; scripts/check-browsers runs it"]
fn a_chromium_profile_works_after_rows_of_it_went() {
    let root = Root::new();
    let data = root.home().join(".config/heron");
    let visit = |host: &str, page: &str| {
        run(Command::new("chromium")
            .args([
                "--headless=new",
                "--no-sandbox",
                "--disable-gpu",
                "--no-first-run",
                "--timeout=4000",
                "--dump-dom",
            ])
            .arg("--host-resolver-rules=MAP * 127.0.0.1")
            .arg(format!("--user-data-dir={}", data.display()))
            .arg(format!("http://{host}:{}/{page}", root.port)));
    };
    for host in HOSTS {
        visit(host, "first");
    }
    let profile = data.join("Default");
    let history = profile.join("History");
    age(
        &history,
        "UPDATE visits SET visit_time = visit_time - 31536000000000 WHERE url IN \
        (SELECT id FROM urls WHERE url LIKE '%slipway%' OR url LIKE '%boats%'); \
        UPDATE urls SET last_visit_time = (SELECT max(visit_time) FROM visits v WHERE v.url = urls.id)",
    );
    // An old page that is bookmarked.
    let page = format!("http://boats.example:{}/first", root.port);
    let node = |name: &str, children: &str| {
        format!(
            "\"{name}\":{{\"children\":[{children}],\"id\":\"1\",\"name\":\"{name}\",\"type\":\"folder\"}}"
        )
    };
    let mark = format!("{{\"id\":\"9\",\"name\":\"Boats\",\"type\":\"url\",\"url\":\"{page}\"}}");
    let roots = [
        node("bookmark_bar", &mark),
        node("other", ""),
        node("synced", ""),
    ]
    .join(",");
    std::fs::write(
        profile.join("Bookmarks"),
        format!("{{\"roots\":{{{roots}}},\"version\":1}}"),
    )
    .unwrap();
    let logins = std::fs::read(profile.join("Login Data")).unwrap();
    root.sweep();
    assert_eq!(std::fs::read(profile.join("Login Data")).unwrap(), logins);
    let left = ask(&history, "SELECT url FROM urls ORDER BY url");
    assert!(
        left.contains(&page) && left.iter().all(|url| !url.contains("slipway")),
        "{left:?}"
    );
    assert_eq!(
        ask(
            &history,
            "SELECT u.url FROM visits v JOIN urls u ON u.id = v.url"
        )
        .len(),
        1
    );

    for host in HOSTS {
        visit(host, "second");
    }
    root.check_cookies();
    let visited = ask(&history, "SELECT url FROM urls ORDER BY url");
    assert_eq!(
        visited
            .iter()
            .filter(|url| url.ends_with("/second"))
            .count(),
        3,
        "{visited:?}"
    );
    let marks = std::fs::read_to_string(profile.join("Bookmarks")).unwrap();
    assert!(marks.contains(&page), "{marks}");
    let preferences = std::fs::read_to_string(profile.join("Preferences")).unwrap();
    assert!(!preferences.contains("\"exit_type\":\"Crashed\""));
}

#[test]
#[ignore = "needs the browser; scripts/check-browsers runs it"]
fn a_gecko_profile_works_after_rows_of_it_went() {
    let root = Root::new();
    let profile = root.home().join(".config/bramble/profiles/x1.pia");
    std::fs::create_dir_all(&profile).unwrap();
    std::fs::write(
        profile.join("user.js"),
        "user_pref(\"network.dns.forceResolve\", \"127.0.0.1\");\n\
         user_pref(\"browser.shell.checkDefaultBrowser\", false);\n\
         user_pref(\"datareporting.policy.dataSubmissionEnabled\", false);\n\
         user_pref(\"browser.aboutwelcome.enabled\", false);\n\
         user_pref(\"network.captive-portal-service.enabled\", false);\n\
         user_pref(\"browser.startup.page\", 0);\n",
    )
    .unwrap();
    let visit = |host: &str, page: &str| {
        run(Command::new("timeout")
            .args([
                "-s",
                "TERM",
                "12",
                "firefox-esr",
                "--headless",
                "--no-remote",
                "--profile",
            ])
            .arg(&profile)
            .arg(format!("http://{host}:{}/{page}", root.port))
            .env("HOME", root.home()));
    };
    for host in HOSTS {
        visit(host, "first");
    }
    let places = profile.join("places.sqlite");
    age(
        &places,
        "UPDATE moz_historyvisits SET visit_date = visit_date - 31536000000000 WHERE place_id IN \
        (SELECT id FROM moz_places WHERE url LIKE '%slipway%' OR url LIKE '%boats%'); \
        UPDATE moz_places SET last_visit_date = (SELECT max(visit_date) FROM moz_historyvisits v WHERE v.place_id = moz_places.id); \
        INSERT INTO moz_bookmarks(type, fk, parent, position, title, dateAdded, lastModified, guid) \
        SELECT 1, id, 3, 9, 'Boats', 1, 1, 'boatsboats__' FROM moz_places WHERE url LIKE '%boats%'; \
        UPDATE moz_places SET foreign_count = foreign_count + 1 WHERE url LIKE '%boats%'",
    );
    let names = ["logins.db", "logins.json", "key4.db", "cert9.db"];
    let read = || names.map(|name| std::fs::read(profile.join(name)).ok());
    let before = read();
    assert!(before.iter().any(Option::is_some));
    root.sweep();
    assert_eq!(read(), before);
    let left = ask(&places, "SELECT url FROM moz_places");
    assert!(left.iter().any(|url| url.contains("boats")), "{left:?}");
    assert!(left.iter().all(|url| !url.contains("slipway")), "{left:?}");

    for host in HOSTS {
        visit(host, "second");
    }
    root.check_cookies();
    let marked = "SELECT p.url FROM moz_bookmarks b JOIN moz_places p ON p.id = b.fk WHERE b.guid = 'boatsboats__'";
    assert_eq!(ask(&places, marked).len(), 1);
    assert_eq!(
        ask(
            &places,
            "SELECT url FROM moz_places WHERE url LIKE '%/second'"
        )
        .len(),
        3
    );
    let names = std::fs::read_dir(&profile).unwrap().flatten();
    let mut names = names.map(|entry| entry.file_name().to_string_lossy().into_owned());
    assert!(!names.any(|name| name.contains("corrupt") || name.contains(".bak")));
}
