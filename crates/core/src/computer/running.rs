//! Whether a family of programs runs on a target now.

use std::ffi::CString;
use std::io;

use crate::computer::places::profile_note;
use crate::computer::{Place, Target, TargetPath};
use crate::host::{InUse, RunningProgram};

/// Files of a browser profile that its browser keeps open while it runs.
const CHROMIUM: [&str; 6] = [
    "History",
    "Cookies",
    "Network/Cookies",
    "Favicons",
    "Web Data",
    "Login Data",
];
const GECKO: [&str; 4] = [
    "places.sqlite",
    "cookies.sqlite",
    "favicons.sqlite",
    ".parentlock",
];

/// How a family notes who uses a profile.
type Noted = fn(&Target, &InUse, &TargetPath) -> Option<RunningProgram>;

/// The program of a family that runs on the target now, for one account or for anybody. The
/// families `chromium` and `gecko` run when somebody holds files of a profile, wherever the
/// target is; `{root}/` and a path stand for work that is under way as long as something lies there; any other
/// name is that of a program on this computer.
pub(crate) fn running(
    target: &Target,
    in_use: &InUse,
    account: Option<usize>,
    family: &str,
) -> Option<RunningProgram> {
    if let Some(path) = family.strip_prefix("{root}/") {
        return announced(target, path);
    }
    let (place, files, noted): (_, _, Noted) = match family {
        "chromium" => (
            Place::ChromiumProfile,
            &CHROMIUM[..],
            profile_note::chromium,
        ),
        "gecko" => (Place::GeckoProfile, &GECKO[..], profile_note::gecko),
        name => {
            let user = account
                .and_then(|at| target.accounts.get(at))
                .map(|it| it.user);
            return target.is_live.then(|| in_use.program(name, user))?.cloned();
        }
    };
    let of_one = account.map_or(&[][..], |_| target.places.of_account(place, account));
    let of_all = target.places.of(place).map(|(_, profile)| profile);
    let of_all = of_all.filter(|_| account.is_none());
    of_one.iter().chain(of_all).find_map(|profile| {
        // A note names a process of the machine that it was written on.
        let noted = || target.is_live.then(|| noted(target, in_use, profile));
        files
            .iter()
            .find_map(|file| holder_of(target, in_use, profile, file))
            .or_else(|| noted().flatten())
    })
}

/// The work that something on the target announces by lying there; what can't be looked for counts as there.
fn announced(target: &Target, path: &str) -> Option<RunningProgram> {
    let path = TargetPath::new(path).ok()?;
    let disk = target.disk();
    let folder = path.parent().unwrap_or_default();
    let found = disk
        .open_folder(target.root(), folder.as_bytes())
        .and_then(|folder| disk.stat(&folder, path.as_name()));
    let is_absent = found.is_err_and(|error| {
        matches!(
            error.kind(),
            io::ErrorKind::NotFound | io::ErrorKind::NotADirectory
        )
    });
    (!is_absent).then(|| RunningProgram {
        process: 0,
        program: format!("the work that {path} announces"),
        started: 0,
    })
}

fn holder_of(
    target: &Target,
    in_use: &InUse,
    profile: &TargetPath,
    file: &str,
) -> Option<RunningProgram> {
    let path = profile.join(file.as_bytes()).ok()?;
    let disk = target.disk();
    let folder = disk
        .open_folder(target.root(), path.parent()?.as_bytes())
        .ok()?;
    let name = CString::new(path.name()).ok()?;
    let stat = disk.stat(&folder, &name).ok()?;
    // A sweep itself writes the databases that it makes anew; that is no browser.
    let is_ours = |by: &&RunningProgram| by.process == std::process::id();
    in_use.user_of(stat.key).filter(|by| !is_ours(by)).cloned()
}
