//! Real packages of this machine's own manager: installed, used, removed in view, and what stayed found, swept and brought
//! back. All of it happens on a copy that takes what is written elsewhere, so that the machine itself keeps what it has.

use std::io::{BufRead as _, BufReader};
use std::process::{Child, Command, Stdio};

use serde_json::Value;

use crate::support::PROGRAM;
use crate::terminal::Term;

/// Lays a folder over the whole system, in a mount namespace of its own, and waits there.
const COPY: &str = r#"
set -e
mount --make-rprivate /
d=$(mktemp -d /mnt/copy.XXXXXX)
trap 'umount -R -l "$d"; rmdir "$d"' EXIT
mount -t tmpfs none "$d"
mkdir "$d/upper" "$d/work" "$d/root"
mount -t overlay none -olowerdir=/,upperdir="$d/upper",workdir="$d/work" "$d/root"
cp "$1" "$d/root/root/jolly-broom"
for part in proc sys dev; do mount --rbind "/$part" "$d/root/$part"; done
mount -t tmpfs none "$d/root/tmp"
echo "$d/root"
read -r _
"#;

/// Two packages with settings, of which one needs a third; made, installed and used.
const PACKAGES: &str = r#"
set -e
cd /tmp
pack() {
  mkdir -p "$1/DEBIAN" "$1/usr/bin" "$1/etc/$1"
  printf 'Package: %s\nVersion: 1.0\nArchitecture: all\nMaintainer: Quay <quay@example.org>\nDepends: %s\nDescription: a test\n' \
    "$1" "$2" > "$1/DEBIAN/control"
  echo 'berth = 4' > "$1/etc/$1/$1.conf"
  echo "/etc/$1/$1.conf" > "$1/DEBIAN/conffiles"
  printf '#!/bin/sh\nmkdir -p ~/.config/%s ~/.cache/%s\necho x > ~/.config/%s/state\necho x > ~/.cache/%s/blocks\n' \
    "$1" "$1" "$1" "$1" > "$1/usr/bin/$1"
  chmod 755 "$1/usr/bin/$1"
  dpkg-deb --root-owner-group -b "$1" > /dev/null
}
pack libquayside 'dpkg'
rm -r libquayside/etc libquayside/usr/bin/libquayside libquayside/DEBIAN/conffiles
dpkg-deb --root-owner-group -b libquayside > /dev/null
pack quayside 'libquayside'
pack bollardine 'dpkg'
apt-get install -y ./quayside.deb ./libquayside.deb ./bollardine.deb
apt-mark auto libquayside
quayside && bollardine
apt-get purge -y bollardine
"#;

/// The copy, as long as somebody waits in it.
struct Copy {
    holder: Child,
    root: String,
}

impl Copy {
    fn lay() -> Option<Self> {
        let mut holder = Command::new("unshare")
            .args(["--mount", "sh", "-c", COPY, "copy", PROGRAM])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .ok()?;
        let mut root = String::new();
        let said = BufReader::new(holder.stdout.take()?).read_line(&mut root);
        if said.is_ok_and(|many| many > 1) {
            let root = root.trim().to_owned();
            return Some(Self { holder, root });
        }
        holder.wait().ok()?;
        None
    }

    /// What leads into it, before a command.
    fn inside(&self) -> Vec<String> {
        let process = self.holder.id().to_string();
        let words = [
            "nsenter",
            "-t",
            &process,
            "-m",
            "chroot",
            &self.root,
            "env",
            "-u",
            "XDG_CONFIG_HOME",
            "HOME=/root",
            "DEBIAN_FRONTEND=noninteractive",
        ];
        words.map(str::to_owned).to_vec()
    }

    fn run(&self, argv: &[&str]) -> (bool, String) {
        let inside = self.inside();
        let output = Command::new(&inside[0])
            .args(&inside[1..])
            .args(argv)
            .stdin(Stdio::null())
            .output()
            .unwrap();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        let both = text(&output.stdout) + &text(&output.stderr);
        (output.status.success(), both)
    }

    fn succeeds(&self, argv: &[&str]) -> String {
        let (is_well, said) = self.run(argv);
        assert!(is_well, "{argv:?}: {said}");
        said
    }

    /// What the program says is left behind of the two.
    fn left(&self) -> Vec<(String, String, Vec<String>)> {
        let said = self.succeeds(&[
            "/root/jolly-broom",
            "--target",
            "/",
            "--state",
            "/root/jolly-state",
            "programs",
            "--left-behind",
            "--json",
            "-q",
        ]);
        let lines = said.lines().filter(|line| line.starts_with('{'));
        let all = lines.map(|line| serde_json::from_str::<Value>(line).unwrap());
        let own = all.filter(|one| {
            let name = one["name"].as_str().unwrap();
            name.contains("quayside") || name.contains("bollardine")
        });
        own.map(|one| {
            let text = |value: &Value| value.as_str().unwrap().to_owned();
            let folders = one["folders"].as_array().unwrap().iter();
            let paths = folders.map(|folder| text(&folder["path"])).collect();
            (text(&one["name"]), text(&one["grade"]), paths)
        })
        .collect()
    }
}

impl Drop for Copy {
    fn drop(&mut self) {
        drop(self.holder.stdin.take());
        drop(self.holder.wait());
    }
}

#[test]
fn a_package_is_removed_in_view_and_what_it_left_is_found_swept_and_brought_back() {
    let has_apt = std::path::Path::new("/usr/bin/apt-get").exists();
    let Some(copy) = Copy::lay().filter(|_| has_apt) else {
        jolly_demo::skipped("this machine has no apt or lets nobody lay folders over others");
        return;
    };
    copy.succeeds(&["sh", "-c", PACKAGES]);
    // One was removed with its settings; nothing of the other is left behind while it is there.
    let homes = |name: &str| {
        [".cache", ".config"]
            .map(|place| format!("root/{place}/{name}"))
            .to_vec()
    };
    let left = copy.left();
    assert_eq!(left.len(), 1, "{left:?}");
    assert_eq!(
        (&*left[0].0, &left[0].2),
        ("bollardine", &homes("bollardine"))
    );

    let mut argv = copy.inside();
    let own = [
        "/root/jolly-broom",
        "--target",
        "/",
        "--state",
        "/root/jolly-state",
    ];
    argv.extend(own.map(str::to_owned));
    argv.extend(["--only", "survey/left-behind"].map(str::to_owned));
    let argv: Vec<&str> = argv.iter().map(String::as_str).collect();
    let term = Term::start((142, 44), &[], &argv);
    term.wait_text("enter weighs it");
    term.keys(&["Enter"]);
    term.wait_text("Left behind by programs");
    // By way of the sites to the programs.
    term.text("v");
    term.wait_text("what web sites left in browsers");
    term.text("v");
    term.wait_text("what each really occupies   ");
    term.text("/quayside");
    term.keys(&["Enter"]);
    term.text("R");
    let screen = term.wait_text("type quayside to start it");
    assert!(
        screen.contains("apt-get -y") && screen.contains("removes 1 package"),
        "{screen}"
    );
    term.text("quay");
    term.keys(&["Enter"]);
    term.wait_text("that is not quayside; nothing was done");
    assert!(copy.run(&["dpkg", "-s", "quayside"]).0);
    term.text("side");
    term.keys(&["Enter"]);
    let screen = term.wait_text("It ended well");
    assert!(screen.contains("Removing quayside (1.0)"), "{screen}");
    term.keys(&["Enter"]);
    // It stands at what the program left: this program has removed it, though what came along with it is called alike.
    let screen = term.wait("what it left", |screen| {
        screen.contains("Left behind: what") && screen.contains("it was removed from here")
    });
    let row = screen
        .lines()
        .find(|line| line.contains("quayside   3 places"));
    assert!(row.is_some_and(|row| row.contains("likely")), "{screen}");
    term.text(" ");
    term.wait_text("that quayside left will go, set aside");
    // What came along with it is needed by nothing now; it is only looked at.
    term.text("LN");
    let screen = term.wait_text("type unneeded to start it");
    assert!(
        screen.contains("libquayside") && screen.contains("autoremove"),
        "{screen}"
    );
    term.keys(&["Escape"]);
    term.keys(&["Escape"]);
    term.keys(&["Tab"]);
    term.wait_text("To be set aside: ");
    term.text("sweep");
    term.wait_text("canned again: ");
    // Of a cache another rule has a say, and here only what was left behind was asked about.
    let places = ["etc/quayside", "root/.config/quayside"];
    let is_there = |copy: &Copy, path: &str| copy.run(&["test", "-e", &format!("/{path}")]).0;
    assert!(
        places.iter().all(|path| !is_there(&copy, path)),
        "{}",
        term.screen()
    );
    assert!(is_there(&copy, "root/.config/bollardine/state"));
    let runs = copy.succeeds(&[
        "/root/jolly-broom",
        "--state",
        "/root/jolly-state",
        "log",
        "list",
        "--json",
    ]);
    // The command that removed it stands there, too, before the sweep.
    let lines: Vec<Value> = (runs.lines())
        .map(|line| serde_json::from_str(line).unwrap())
        .collect();
    assert_eq!((lines.len(), &lines[0]["code"]), (2, &Value::from(0)));
    let run = &lines[1];
    copy.succeeds(&[
        "/root/jolly-broom",
        "--target",
        "/",
        "--state",
        "/root/jolly-state",
        "restore",
        run["run"].as_str().unwrap(),
    ]);
    assert!(places.iter().all(|path| is_there(&copy, path)));
    term.text("q");
    assert_eq!(term.status(), 0);
}
