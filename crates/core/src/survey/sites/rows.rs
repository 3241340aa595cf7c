//! What a profile's databases say of sites: cookies and visits.

use std::ffi::CString;

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::format::{Family, Site, host_of_address};
use crate::rule::Epoch;
use crate::source::holder::{HolderError, read_database};
use crate::survey::sites::Gathering;

/// Parts of the names that cookies of sign-ins have.
const SIGN_IN: [&str; 8] = [
    "sess", "sid", "auth", "token", "login", "user", "remember", "account",
];

/// How to ask one database.
struct Asked {
    /// Below the profile; the first that is there counts.
    files: &'static [&'static str],
    sql: &'static str,
    needs: &'static [&'static str],
    is_visits: bool,
}

const CHROMIUM: [Asked; 2] = [
    Asked {
        files: &["Network/Cookies", "Cookies"],
        sql: "SELECT host_key, name, max(last_access_utc, creation_utc), expires_utc, is_persistent, 1 FROM main.cookies",
        needs: &[
            "cookies.host_key",
            "cookies.name",
            "cookies.expires_utc",
            "cookies.is_persistent",
            "cookies.creation_utc",
        ],
        is_visits: false,
    },
    Asked {
        files: &["History"],
        sql: "SELECT u.url, '', max(v.visit_time), 0, 0, count(*) FROM main.visits v JOIN main.urls u ON u.id = v.url GROUP BY u.id",
        needs: &["visits.visit_time", "visits.url", "urls.url", "urls.id"],
        is_visits: true,
    },
];

const GECKO: [Asked; 2] = [
    Asked {
        files: &["cookies.sqlite"],
        sql: "SELECT host, name, max(lastAccessed, creationTime), expiry, 1, 1 FROM main.moz_cookies",
        needs: &[
            "moz_cookies.host",
            "moz_cookies.name",
            "moz_cookies.expiry",
            "moz_cookies.creationTime",
        ],
        is_visits: false,
    },
    Asked {
        files: &["places.sqlite"],
        sql: "SELECT p.url, '', max(v.visit_date), 0, 0, count(*) FROM main.moz_historyvisits v \
              JOIN main.moz_places p ON p.id = v.place_id GROUP BY p.id",
        needs: &[
            "moz_historyvisits.visit_date",
            "moz_historyvisits.place_id",
            "moz_places.url",
        ],
        is_visits: true,
    },
];

/// One row of an answer.
struct Answer {
    /// A host or an address.
    place: String,
    name: String,
    used: i64,
    until: i64,
    is_lasting: bool,
    many: u64,
}

/// Adds what a profile's databases say.
pub(super) fn gather(
    target: &Target,
    (profile, family): (&TargetPath, Family),
    gathering: &mut Gathering,
    unread: &mut Vec<(TargetPath, String)>,
    cancel: &CancelToken,
) {
    let (asked, epoch) = match family {
        Family::Chromium => (&CHROMIUM, Epoch::Y1601),
        Family::Gecko => (&GECKO, Epoch::Y1970),
    };
    for asked in asked {
        for file in asked.files {
            let Ok(path) = profile.join(file.as_bytes()) else {
                continue;
            };
            match ask(target, &path, asked, cancel) {
                Ok(answers) => {
                    for answer in answers {
                        add(gathering, asked, epoch, &answer);
                    }
                    break;
                }
                // Not every profile has every database.
                Err(HolderError::Empty) => {}
                Err(HolderError::Read(error)) if error.kind() == std::io::ErrorKind::NotFound => {}
                Err(error) => unread.push((path, error.to_string())),
            }
        }
    }
}

fn ask(
    target: &Target,
    path: &TargetPath,
    asked: &Asked,
    cancel: &CancelToken,
) -> Result<Vec<Answer>, HolderError> {
    let disk = &**target.disk();
    let folder = path.parent().unwrap_or_default();
    let folder = disk.open_folder(target.root(), folder.as_bytes());
    let folder = folder.map_err(HolderError::Read)?;
    let name = CString::new(path.name()).unwrap_or_default();
    let database = read_database(disk, (&folder, &name), cancel)?;
    let mut answers = Vec::new();
    database.ask(asked.needs, asked.sql, &mut |row| {
        let text = |at: usize| -> rusqlite::Result<String> {
            let value = row.get_ref(at)?;
            Ok(value.as_str().unwrap_or_default().to_owned())
        };
        let number = |at: usize| row.get_ref(at).map(|it| it.as_i64().unwrap_or(0));
        answers.push(Answer {
            place: text(0)?,
            name: text(1)?,
            used: number(2)?,
            until: number(3)?,
            is_lasting: number(4)? != 0,
            many: number(5)?.unsigned_abs(),
        });
        Ok(())
    })?;
    Ok(answers)
}

fn add(gathering: &mut Gathering, asked: &Asked, epoch: Epoch, answer: &Answer) {
    let place = answer.place.as_str();
    let host = if place.contains("://") {
        host_of_address(place)
    } else {
        Some(place.trim_start_matches('.'))
    };
    let Some((host, site)) = host.and_then(|host| Some((host, Site::of_host(host)?))) else {
        return;
    };
    let used = (answer.used > 0).then(|| epoch.since_1970(answer.used / 1_000_000));
    let traces = gathering.of(site);
    let own = traces.hosts.entry(host.to_lowercase()).or_default();
    for part in [own, &mut traces.all] {
        if asked.is_visits {
            part.visits += answer.many;
        } else {
            part.cookies += answer.many;
        }
        part.used(used);
    }
    let small = answer.name.to_lowercase();
    if !asked.is_visits && answer.is_lasting && SIGN_IN.iter().any(|part| small.contains(part)) {
        let until = match epoch {
            Epoch::Y1601 => epoch.since_1970(answer.until / 1_000_000),
            // Seconds in older versions, thousandths in newer ones.
            Epoch::Y1970 if answer.until > 100_000_000_000 => answer.until / 1_000,
            Epoch::Y1970 => answer.until,
        };
        traces.signed_in_until = traces.signed_in_until.max(Some(until));
    }
}
