//! Crontabs (`crontab(5)`): lines that run at boot, and turning one into a comment.

/// How a line begins that was turned off here.
const OFF: &[u8] = b"# off: ";

/// A line that runs at boot.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct AtBoot {
    /// The line as it is when it counts.
    pub line: Vec<u8>,
    /// What it runs.
    pub command: String,
    /// Whether it counts.
    pub is_on: bool,
}

/// The lines of a crontab that run at boot, and those that were turned off here. In crontabs of the system the name of
/// an account stands before the command.
pub(crate) fn at_boot(bytes: &[u8], names_user: bool) -> Vec<AtBoot> {
    let lines = bytes.split(|byte| *byte == b'\n');
    let found = lines.filter_map(|line| {
        let (line, is_on) = match line.strip_prefix(OFF) {
            Some(line) => (line, false),
            None => (line, true),
        };
        let text = String::from_utf8_lossy(line);
        let rest = text.trim().strip_prefix("@reboot")?;
        let mut rest = rest.strip_prefix([' ', '\t'])?.trim();
        if names_user {
            rest = rest.split_once([' ', '\t'])?.1.trim();
        }
        (!rest.is_empty()).then(|| AtBoot {
            line: line.to_vec(),
            command: rest.to_owned(),
            is_on,
        })
    });
    found.collect()
}

/// The crontab with a line turned off, or on again; nothing where it has no such line.
pub(crate) fn switched(bytes: &[u8], line: &[u8], on: bool) -> Option<Vec<u8>> {
    let off = [OFF, line].concat();
    let (from, to) = if on {
        (&off[..], line)
    } else {
        (line, &off[..])
    };
    let mut is_found = false;
    let lines = bytes.split(|byte| *byte == b'\n').map(|known| {
        if known == from && !is_found {
            is_found = true;
            to
        } else {
            known
        }
    });
    let lines: Vec<&[u8]> = lines.collect();
    is_found.then(|| lines.join(&b'\n'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_goes_off_and_on_again_and_nothing_else_changes() {
        let before = b"# jobs\n@reboot /opt/tide/watch --quiet\n*/5 * * * * x\n@reboot   y\n";
        let found = at_boot(before, false);
        assert_eq!(found.len(), 2);
        assert_eq!(found[0].command, "/opt/tide/watch --quiet");
        let off = switched(before, &found[0].line, false).unwrap();
        let again = at_boot(&off, false);
        assert_eq!((again[0].is_on, again[1].is_on), (false, true));
        assert_eq!(again[0].line, found[0].line);
        assert_eq!(switched(&off, &found[0].line, true).unwrap(), before);
        assert_eq!(switched(before, b"@reboot z", false), None);
        let system = at_boot(
            b"@reboot root /usr/bin/x\n@reboot root\n@rebooted root y\n",
            true,
        );
        assert_eq!(system.len(), 1);
        assert_eq!(system[0].command, "/usr/bin/x");
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_crontabs(bytes in crate::fuzz::foreign(&[b"MAILTO=\"\"\n@reboot /opt/x -y\n# off: @reboot z\n"])) {
            for found in at_boot(&bytes, false) {
                let other = switched(&bytes, &found.line, !found.is_on);
                proptest::prop_assert!(other.is_some());
            }
        }
    }
}
