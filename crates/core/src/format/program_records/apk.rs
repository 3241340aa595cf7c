//! The packages that apk(5) notes as installed: a letter, a colon and a value a line, an empty line behind each package.

/// One package.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct ApkPackage {
    pub name: String,
    pub version: String,
    /// Bytes when installed.
    pub bytes: u64,
    /// Its files, from the root.
    pub files: Vec<String>,
}

/// The packages of such notes.
pub(crate) fn packages(text: &str) -> Vec<ApkPackage> {
    let mut found = Vec::new();
    let mut package = ApkPackage::default();
    let mut folder = "";
    for line in text.lines().chain([""]) {
        let Some((key, value)) = line.split_once(':') else {
            if line.is_empty() && !package.name.is_empty() {
                found.push(std::mem::take(&mut package));
            }
            continue;
        };
        match key {
            "P" => value.clone_into(&mut package.name),
            "V" => value.clone_into(&mut package.version),
            "I" => package.bytes = value.parse().unwrap_or(0),
            "F" => folder = value,
            "R" => package.files.push(format!("{folder}/{value}")),
            _ => {}
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn packages_have_their_files() {
        let read =
            packages("C:x\nP:tide\nV:1.2-r0\nI:4096\nF:usr/bin\nR:tide\nR:tides\n\nP:b\nV:2\n");
        assert_eq!(read.len(), 2);
        assert_eq!((read[0].bytes, &*read[0].version), (4096, "1.2-r0"));
        assert_eq!(read[0].files, ["usr/bin/tide", "usr/bin/tides"]);
        assert_eq!(read[1].name, "b");
    }
}
