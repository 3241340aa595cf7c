//! `schedule`: a timer, a service and a cron line that sweep by job sheets. Nothing is installed.

use std::path::Path;

use jolly_core::format::Printable;
use jolly_core::state::Sheet;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::open_state;
use crate::visits::{existing_sheets, refuse_sheets};

pub(super) fn run(options: &SharedOptions, ids: &[String]) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    let store = existing_sheets(&state)?;
    let mut sheets = Vec::new();
    for id in ids {
        let sheet = store.find(id).map_err(|error| refuse_sheets(&error))?;
        if sheet.allowed.is_none() {
            let name = Printable(sheet.shown_name().as_bytes()).to_string();
            return Err(Refusal::bad_words(
                &format!("nothing may go without a person at {name}"),
                "say what may with `jolly-broom sheet allow`",
            ));
        }
        sheets.push(sheet);
    }
    let program = std::env::current_exe()
        .map_err(|error| Refusal::failed(&error, "start the program by its whole path"))?;
    let program = plain(&program)?;
    let folder = plain(state.path())?;
    print::result(|out| {
        let text = units(&program, &folder, &sheets);
        out.write_all(text.as_bytes())
    })?;
    Ok(Exit::Done)
}

/// A path that means the same to a unit and to cron.
fn plain(path: &Path) -> Result<String, Refusal> {
    let is_plain = |letter: char| letter.is_ascii_alphanumeric() || "/._-+@".contains(letter);
    let text = path.to_str().filter(|text| text.chars().all(is_plain));
    let text = text.map(str::to_owned);
    text.ok_or_else(|| {
        let path = Printable(path.as_os_str().as_encoded_bytes()).to_string();
        Refusal::bad_words(
            &format!("{path} has letters that a unit or cron would read otherwise"),
            "move it to a path of letters, digits, dots and dashes",
        )
    })
}

/// The text, in three parts; each says where it would go.
fn units(program: &str, state: &str, sheets: &[Sheet]) -> String {
    let first = sheets.first().map_or("", |sheet| &*sheet.sheet);
    let name = format!("jolly-broom-{first}");
    let sweep = |sheet: &Sheet| {
        format!(
            "{program} --state {state} --quiet sweep --sheet {} --yes",
            sheet.sheet
        )
    };
    let starts = sheets
        .iter()
        .map(|sheet| format!("ExecStart={}\n", sweep(sheet)));
    let starts: Vec<String> = starts.collect();
    let crons = sheets.iter().enumerate();
    let crons = crons.map(|(at, sheet)| format!("{} 9 * * 1  root  {}\n", at % 60, sweep(sheet)));
    let crons: Vec<String> = crons.collect();
    let (starts, crons) = (starts.concat(), crons.concat());
    format!(
        "# /etc/systemd/system/{name}.service\n\
         [Unit]\n\
         Description=Sweep what job sheets allow\n\
         \n\
         [Service]\n\
         Type=oneshot\n\
         {starts}\
         # Done, but some items stayed.\n\
         SuccessExitStatus=3\n\
         Nice=10\n\
         IOSchedulingClass=idle\n\
         NoNewPrivileges=yes\n\
         PrivateNetwork=yes\n\
         ProtectClock=yes\n\
         ProtectKernelModules=yes\n\
         ProtectKernelTunables=yes\n\
         ProtectControlGroups=yes\n\
         ProtectHostname=yes\n\
         RestrictRealtime=yes\n\
         RestrictSUIDSGID=yes\n\
         RestrictNamespaces=yes\n\
         LockPersonality=yes\n\
         SystemCallArchitectures=native\n\
         CapabilityBoundingSet=CAP_DAC_OVERRIDE CAP_DAC_READ_SEARCH CAP_FOWNER CAP_CHOWN CAP_FSETID CAP_SYS_PTRACE\n\
         UMask=0077\n\
         \n\
         # /etc/systemd/system/{name}.timer\n\
         [Unit]\n\
         Description=Sweep what job sheets allow, every week\n\
         \n\
         [Timer]\n\
         OnCalendar=Mon *-*-* 09:00\n\
         RandomizedDelaySec=1h\n\
         Persistent=true\n\
         \n\
         [Install]\n\
         WantedBy=timers.target\n\
         \n\
         # /etc/cron.d/{name}\n\
         {crons}"
    )
}
