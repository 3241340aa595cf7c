//! From the start of the program to its first frame, and to the scanned demo computer, on a
//! terminal of its own.

use std::fs::File;
use std::io::Read as _;
use std::os::fd::OwnedFd;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use rustix::fs::{Mode, OFlags, open};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};

use crate::{Failure, print};

/// Starts the program often on a built demo computer.
pub(crate) fn measure(dir: &Path) -> Result<(), Failure> {
    let root = dir.join("till");
    let now = i64::try_from(std::time::UNIX_EPOCH.elapsed()?.as_secs())?;
    let began = Instant::now();
    jolly_demo::build(&root, jolly_demo::DemoLayout::Linux, now)?;
    println!(
        "demo computer built in {:.2} s",
        began.elapsed().as_secs_f64()
    );
    let (mut first, mut weighed) = (Vec::new(), Vec::new());
    for _ in 0..20 {
        let (frame, weigh) = start(&root, &dir.join("state"))?;
        first.push(frame);
        weighed.push(weigh);
    }
    print("start to first frame", first);
    print("start to the scanned demo", weighed);
    std::fs::metadata(&root)?;
    Ok(())
}

/// How long the next part of a frame is waited for.
const PATIENCE: Duration = Duration::from_secs(20);

/// Starts the program; gives the time to its first frame and to the one that says what was found.
fn start(root: &Path, state: &Path) -> Result<(Duration, Duration), Failure> {
    let controller = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY)?;
    grantpt(&controller)?;
    unlockpt(&controller)?;
    let size = Winsize {
        ws_row: 44,
        ws_col: 142,
        ws_xpixel: 0,
        ws_ypixel: 0,
    };
    tcsetwinsize(&controller, size)?;
    let name = ptsname(&controller, Vec::new())?;
    let terminal = open(&name, OFlags::RDWR | OFlags::NOCTTY, Mode::empty())?;
    let end = |descriptor: &OwnedFd| descriptor.try_clone().map(Stdio::from);
    let began = Instant::now();
    let mut child = Command::new(env!("CARGO_BIN_EXE_jolly-broom"))
        .arg("--target")
        .arg(root)
        .arg("--state")
        .arg(state)
        .env("TERM", "xterm-256color")
        .stdin(end(&terminal)?)
        .stdout(end(&terminal)?)
        .stderr(end(&terminal)?)
        .spawn()?;
    drop(terminal);
    let (tell, parts) = std::sync::mpsc::channel();
    let mut from = File::from(controller);
    // Ends with the program, or with whoever listens.
    std::thread::spawn(move || {
        let mut part = vec![0; 64 * 1024];
        while let Ok(count @ 1..) = from.read(&mut part) {
            let read = part.get(..count).unwrap_or_default().to_vec();
            if tell.send(read).is_err() {
                break;
            }
        }
    });
    let mut shown = Vec::new();
    let mut first = None;
    let holds = |shown: &[u8], word: &&[u8]| shown.windows(word.len()).any(|it| it == *word);
    // A frame is told as what differs from the one before, and words may be torn by that.
    let mast: [&[u8]; 2] = [b"jolly", b"keys"];
    // It opens at arrive, which says so once all is scanned.
    let scanned: &[u8] = b"weighs";
    let weighed = loop {
        let Ok(part) = parts.recv_timeout(PATIENCE) else {
            child.kill()?;
            return Err("the program never came to the end of its scan".into());
        };
        shown.extend_from_slice(&part);
        if first.is_none() && mast.iter().all(|word| holds(&shown, word)) {
            first = Some(began.elapsed());
        }
        if holds(&shown, &scanned) {
            break began.elapsed();
        }
    };
    // It only looks, so it may be ended at any time.
    child.kill()?;
    child.wait()?;
    Ok((first.unwrap_or(weighed), weighed))
}
