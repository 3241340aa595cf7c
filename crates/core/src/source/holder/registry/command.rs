//! The files that commands and values of a registry name by their full path.

/// The folder of the system itself, on whatever drive: what lies there is a part of it, and no reference to it is asked
/// about.
const SYSTEM: &str = "windows\\";

/// The ending of programs that a command may leave out.
const PROGRAM: &str = ".exe";

/// Readings of one command at most.
const MOST_READINGS: usize = 24;

/// Everything that a command may mean by its program; nothing where it names none by its full path, a part of the system,
/// or one by a variable.
///
/// Without quotes a system tries each piece up to a blank in turn, with and without the ending of programs.
pub(super) fn of_command(command: &str) -> Option<Vec<String>> {
    let command = command.trim();
    if let Some(rest) = command.strip_prefix('"') {
        let (program, _) = rest.split_once('"')?;
        return plain(program).map(|program| vec![program]);
    }
    let ends = command.match_indices(' ').map(|(at, _)| at);
    let mut readings = Vec::new();
    for end in ends.chain([command.len()]).take(MOST_READINGS) {
        let piece = command.get(..end)?;
        let Some(path) = plain(piece) else {
            // Behind the program stands whatever it is given.
            if readings.is_empty() {
                return None;
            }
            break;
        };
        let has_ending = path.to_ascii_lowercase().ends_with(PROGRAM);
        if !has_ending {
            readings.push(format!("{path}{PROGRAM}"));
        }
        readings.push(path);
    }
    Some(readings)
}

/// A file that a value names, with the number of a picture in it left out.
pub(super) fn of_file(text: &str) -> Option<Vec<String>> {
    let text = text.trim();
    let text = match text.strip_prefix('"') {
        Some(rest) => rest.split_once('"')?.0,
        None => text,
    };
    let is_number = |number: &str| {
        let digits = number.trim().trim_start_matches('-');
        !digits.is_empty() && digits.bytes().all(|byte| byte.is_ascii_digit())
    };
    let mut readings: Vec<String> = plain(text).into_iter().collect();
    for mark in [',', '\\'] {
        if let Some((file, number)) = text.rsplit_once(mark)
            && is_number(number)
        {
            readings.extend(plain(file));
        }
    }
    (!readings.is_empty()).then_some(readings)
}

/// A path on a drive that is no part of the system, as it is written without a slash at its end.
fn plain(path: &str) -> Option<String> {
    let path = path.trim().replace('/', "\\");
    let path = path.trim_end_matches('\\');
    let small = path.to_lowercase();
    let is_on_drive =
        matches!(small.as_bytes(), [drive, b':', b'\\', ..] if drive.is_ascii_lowercase());
    let is_path =
        is_on_drive && small.len() > 3 && !small.contains(['%', '"', '*', '?', '<', '>', '|']);
    let is_system = small
        .get(3..)
        .is_some_and(|below| format!("{below}\\").starts_with(SYSTEM));
    (is_path && !is_system).then(|| path.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_command_is_read_in_every_way_that_a_system_tries() {
        let read = |command: &str| of_command(command).unwrap_or_default().join(" | ");
        let cases = [
            (r#""C:\Tide\tide.exe" --quiet"#, r"C:\Tide\tide.exe"),
            (r"C:\Tide\tide.exe", r"C:\Tide\tide.exe"),
            (
                r"C:\Tide Watch\tide.exe",
                r"C:\Tide.exe | C:\Tide | C:\Tide Watch\tide.exe",
            ),
            (
                r"C:\Tide\tide -q",
                r"C:\Tide\tide.exe | C:\Tide\tide | C:\Tide\tide -q.exe | C:\Tide\tide -q",
            ),
            (r#"C:\Tide\tide.exe "%1""#, r"C:\Tide\tide.exe"),
            (r"%ProgramFiles%\tide.exe", ""),
            (r"C:\Windows\System32\rundll32.exe C:\Tide\x.dll,Run", ""),
            (r"c:/windows", ""),
            (r"d:\tide.exe", r"d:\tide.exe"),
            (r"D:\Windows\tide.exe", ""),
            (r"1:\tide.exe", ""),
            (r"\\server\tide.exe", ""),
            ("rundll32.exe x.dll", ""),
            ("\"C:\\Tide", ""),
            ("", ""),
        ];
        for (command, readings) in cases {
            assert_eq!(read(command), readings, "{command}");
        }
        assert_eq!(
            of_file(r"C:\Tide\tide.exe,0").unwrap(),
            [r"C:\Tide\tide.exe,0", r"C:\Tide\tide.exe"]
        );
        assert_eq!(
            of_file(r"C:\Tide\tide.dll\2").unwrap(),
            [r"C:\Tide\tide.dll\2", r"C:\Tide\tide.dll"]
        );
        assert_eq!(of_file(r"C:\Tide\").unwrap(), [r"C:\Tide"]);
        assert_eq!(of_file("%x%\\a.ico"), None);
    }
}
