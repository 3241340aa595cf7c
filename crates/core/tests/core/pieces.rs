//! Files in pieces, made on purpose, told as another tool tells them.

use std::io::Write as _;
use std::process::Command;
use std::sync::Arc;

use jolly_core::computer::{Layout, Target};
use jolly_core::survey::count_pieces;
use jolly_disk::RealDisk;

use crate::volumes::{mount, works};

#[test]
fn files_in_pieces_are_told_as_another_tool_tells_them() {
    let dir = tempfile::tempdir().unwrap();
    let mounted = match mount(dir.path(), "ext4", &["mkfs.ext4", "-F", "-q"]) {
        Ok(mounted) => mounted,
        Err(why) => return jolly_demo::skipped(&format!("no pieces were counted, because {why}")),
    };
    let home = mounted.point.join("home/pia");
    std::fs::create_dir_all(&home).unwrap();
    std::fs::create_dir(mounted.point.join("etc")).unwrap();
    std::fs::write(
        mounted.point.join("etc/passwd"),
        "pia:x:1000:1000::/home/pia:/bin/sh\n",
    )
    .unwrap();
    // Turn by turn, each brought to the disk before the other goes on: neither lies in one piece.
    let mut both: Vec<_> = ["letters", "ledger"]
        .map(|name| std::fs::File::create(home.join(name)).unwrap())
        .into();
    for _ in 0..40 {
        for file in &mut both {
            file.write_all(&[7; 16 << 10]).unwrap();
            file.sync_all().unwrap();
        }
    }
    for number in 0..10 {
        std::fs::write(home.join(format!("whole{number}")), vec![1; 64 << 10]).unwrap();
    }
    std::fs::write(home.join("empty"), b"").unwrap();
    std::os::unix::fs::symlink("/etc/passwd", home.join("link")).unwrap();
    works(Command::new("mkfifo").arg(home.join("fifo"))).unwrap();
    works(&mut Command::new("sync")).unwrap();
    let target = Target::open(
        Arc::new(RealDisk),
        &mounted.point,
        Some(Layout::Linux),
        &|_| None,
    );
    let target = target.unwrap();
    let found = count_pieces(&target, &|| false);
    assert!(!found.is_least && found.files >= 12, "{found:?}");
    let told = |name: &str| -> u64 {
        let output = Command::new("filefrag")
            .arg(home.join(name))
            .output()
            .unwrap();
        let text = String::from_utf8(output.stdout).unwrap();
        // `/…/letters: 40 extents found`
        let many = text.rsplit(": ").next().unwrap().split(' ').next().unwrap();
        many.parse().unwrap()
    };
    let worst: Vec<(u64, String)> = found
        .worst
        .iter()
        .map(|(pieces, _, path)| (*pieces, path.to_string()))
        .collect();
    for name in ["letters", "ledger"] {
        let pieces = worst
            .iter()
            .find(|(_, path)| path.ends_with(name))
            .unwrap()
            .0;
        assert_eq!(pieces, told(name), "{worst:?}");
        assert!(pieces > 2, "{worst:?}");
    }
    assert!(worst.windows(2).all(|pair| pair[0].0 >= pair[1].0));
    let split = (0..10)
        .filter(|number| told(&format!("whole{number}")) > 1)
        .count() as u64;
    assert_eq!(found.split, split + 2, "{found:?}");
    assert!(
        found
            .mends
            .as_ref()
            .is_some_and(|mends| mends.starts_with("e4defrag "))
    );
    // Time that is up at once tells nothing, and ends.
    assert!(count_pieces(&target, &|| true).is_least);
}
