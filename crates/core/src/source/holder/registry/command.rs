//! The files that commands and values of a registry name by their full path.

/// The folder of the system itself, on whatever drive: what lies there is a part of it, and no reference to it is asked
/// about.
const SYSTEM: &str = "windows\\";

/// The endings of programs, which a command may leave out, and that of libraries.
const PROGRAMS: [&str; 4] = [".exe", ".com", ".bat", ".cmd"];
const LIBRARY: &str = ".dll";

/// Pieces of one command that are tried at most; of a longer one nothing is said.
const MOST_PIECES: usize = 24;

/// Everything that a command may mean by its program; nothing where it names none by its full path, a part of the system,
/// or one by a variable.
///
/// Without quotes a system tries each piece up to a blank in turn, with and without the endings of programs.
pub(super) fn of_command(command: &str) -> Option<Vec<String>> {
    let command = command.trim();
    if let Some(rest) = command.strip_prefix('"') {
        let (program, _) = rest.split_once('"')?;
        return plain(program).map(with_endings);
    }
    let ends = command.match_indices(' ').map(|(at, _)| at);
    let ends: Vec<usize> = ends.chain([command.len()]).collect();
    let mut readings: Vec<String> = Vec::new();
    for (tried, end) in ends.into_iter().enumerate() {
        match plain(command.get(..end)?) {
            Some(path) if tried < MOST_PIECES => readings.extend(with_endings(path)),
            // Behind a whole program stands whatever it is given; anything else may be a part of its path.
            _ if readings.last().is_some_and(|last| is_program(last)) => break,
            _ => return None,
        }
    }
    Some(readings)
}

fn is_program(path: &str) -> bool {
    let small = path.to_ascii_lowercase();
    PROGRAMS.iter().any(|ending| small.ends_with(ending))
}

/// A path, and before it what it means where its ending is left out.
fn with_endings(path: String) -> Vec<String> {
    let mut readings = Vec::new();
    if !is_program(&path) {
        readings.extend(PROGRAMS.map(|ending| format!("{path}{ending}")));
    }
    readings.push(path);
    readings
}

/// A file that a value names: with the number of a picture in it left out, and with the ending of libraries where it has
/// none.
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
    let mut readings = Vec::new();
    if let Some(path) = plain(text) {
        let name = path.rsplit('\\').next().unwrap_or(&path);
        if !name.contains('.') {
            readings.push(format!("{path}{LIBRARY}"));
        }
        readings.push(path);
    }
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
    // A system leaves dots and blanks at the end of a name out, and a colon names a part of a file.
    let below = small.get(3..).unwrap_or_default();
    let is_path = is_on_drive
        && !below.is_empty()
        && !below.contains(['%', '"', '*', '?', '<', '>', '|', ':'])
        && !below.split('\\').any(|part| part.ends_with(['.', ' ']));
    let is_system = format!("{below}\\").starts_with(SYSTEM);
    (is_path && !is_system).then(|| path.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_command_is_read_in_every_way_that_a_system_tries() {
        // Of the endings the first stands for all.
        let read = |command: &str| {
            let readings = of_command(command).unwrap_or_default().into_iter();
            let others = [".com", ".bat", ".cmd"];
            let told = readings.filter(|one| !others.iter().any(|ending| one.ends_with(ending)));
            told.collect::<Vec<_>>().join(" | ")
        };
        let long = format!(r"C:\Tide {}tide.exe", "x ".repeat(30));
        let cases = [
            (r#""C:\Tide\tide.exe" --quiet"#, r"C:\Tide\tide.exe"),
            (r#""C:\Tide\tide" -q"#, r"C:\Tide\tide.exe | C:\Tide\tide"),
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
            (r"C:\Tide\tide.exe /q", r"C:\Tide\tide.exe"),
            // The variable may be a part of the path, and so may what comes behind very many blanks.
            (r"C:\Program Files\%x%\tide.exe", ""),
            (&*long, ""),
            (r"%ProgramFiles%\tide.exe", ""),
            (r"C:\Windows\System32\rundll32.exe C:\Tide\x.dll,Run", ""),
            (r"c:/windows", ""),
            (r"d:\tide.exe", r"d:\tide.exe"),
            (r"D:\Windows\tide.exe", ""),
            (r"C:\Tide.\tide.exe", ""),
            (r"C:\Tide\tide.exe:x", ""),
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
            of_file(r"C:\Tide\tide.dll\2").unwrap().last().unwrap(),
            r"C:\Tide\tide.dll"
        );
        assert_eq!(of_file(r"C:\Tide\").unwrap(), [r"C:\Tide.dll", r"C:\Tide"]);
        assert_eq!(of_file("%x%\\a.ico"), None);
    }
}
