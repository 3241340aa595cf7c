//! What a logical volume manager says of snapshots of a volume; they are only seen.

use serde::Deserialize;

use crate::host::{Mount, Tool};

/// Where its tool lies.
const TOOL: [&str; 4] = ["/usr/sbin/lvs", "/sbin/lvs", "/usr/bin/lvs", "/bin/lvs"];

/// A logical volume, as the tool tells it.
#[derive(Deserialize)]
struct Volume {
    vg_name: String,
    lv_name: String,
    #[serde(default)]
    origin: String,
    #[serde(default)]
    lv_dm_path: String,
}

#[derive(Deserialize)]
struct Group {
    lv: Vec<Volume>,
}

#[derive(Deserialize)]
struct Answered {
    report: Vec<Group>,
}

/// The names of the snapshots that were made of a mounted volume; none where it isn't a logical one, or nobody may ask.
pub(crate) fn volume_snapshots(mount: &Mount) -> Vec<String> {
    if !mount.source.starts_with("/dev/mapper/") {
        return Vec::new();
    }
    let words = [
        "--reportformat",
        "json",
        "-o",
        "vg_name,lv_name,origin,lv_dm_path",
    ];
    let answer = Tool::at(&TOOL, &words).and_then(|tool| tool.ask().ok());
    answer.map_or_else(Vec::new, |answer| snapshots_of(&answer.text, &mount.source))
}

fn snapshots_of(text: &str, source: &str) -> Vec<String> {
    let Ok(answered) = serde_json::from_str::<Answered>(text) else {
        return Vec::new();
    };
    let volumes: Vec<Volume> = answered
        .report
        .into_iter()
        .flat_map(|group| group.lv)
        .collect();
    let Some(own) = volumes.iter().find(|volume| volume.lv_dm_path == source) else {
        return Vec::new();
    };
    let made_of_it = volumes
        .iter()
        .filter(|volume| volume.vg_name == own.vg_name && volume.origin == own.lv_name);
    made_of_it.map(|volume| volume.lv_name.clone()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn snapshots_of_the_mounted_volume_alone_are_seen() {
        let told = r#"{"report":[{"lv":[
            {"vg_name":"quay","lv_name":"root","origin":"","lv_dm_path":"/dev/mapper/quay-root"},
            {"vg_name":"quay","lv_name":"before","origin":"root","lv_dm_path":"/dev/mapper/quay-before"},
            {"vg_name":"quay","lv_name":"other","origin":"home","lv_dm_path":"/dev/mapper/quay-other"},
            {"vg_name":"yard","lv_name":"twin","origin":"root","lv_dm_path":"/dev/mapper/yard-twin"}]}]}"#;
        assert_eq!(snapshots_of(told, "/dev/mapper/quay-root"), ["before"]);
        assert!(snapshots_of(told, "/dev/sda1").is_empty());
        assert!(snapshots_of("no json", "/dev/mapper/quay-root").is_empty());
    }
}
