//! Numbers in words: sizes, counts, ages.

const UNITS: [&str; 7] = ["B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"];

/// A size with three figures: "6.10 GiB", "980 MiB".
pub fn bytes(bytes: u64) -> String {
    let mut value = bytes as f64;
    let mut unit = 0;
    while value >= 1023.5 && unit + 1 < UNITS.len() {
        value /= 1024.0;
        unit += 1;
    }
    let name = UNITS.get(unit).copied().unwrap_or("B");
    match (unit, value) {
        (0, _) => format!("{bytes} {name}"),
        (_, 99.95..) => format!("{value:.0} {name}"),
        (_, 9.995..) => format!("{value:.1} {name}"),
        _ => format!("{value:.2} {name}"),
    }
}

/// A count with its thousands divided: "18,204".
pub fn count(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            text.push(',');
        }
        text.push(digit);
    }
    text
}

/// A count of things: "1 file", "18,204 files".
pub fn counted(number: u64, one: &str) -> String {
    format!(
        "{} {one}{}",
        count(number),
        if number == 1 { "" } else { "s" }
    )
}

/// An age in words: "4 months".
pub fn age(seconds: u64) -> String {
    const STEPS: [(u64, &str); 6] = [
        (365 * 86_400, "year"),
        (30 * 86_400, "month"),
        (7 * 86_400, "week"),
        (86_400, "day"),
        (3600, "hour"),
        (60, "minute"),
    ];
    STEPS.iter().find(|(step, _)| seconds >= *step).map_or_else(
        || "moments".to_owned(),
        |(step, name)| counted(seconds / step, name),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_read_as_people_say_them() {
        assert_eq!(bytes(0), "0 B");
        assert_eq!(bytes(1023), "1023 B");
        assert_eq!(bytes(1 << 20), "1.00 MiB");
        assert_eq!(bytes(980 << 20), "980 MiB");
        assert_eq!(bytes((1 << 30) - 1), "1.00 GiB");
        assert_eq!(bytes(41 << 30), "41.0 GiB");
        assert_eq!(bytes(u64::MAX), "16.0 EiB");
        assert_eq!(count(1_234_567), "1,234,567");
        assert_eq!(counted(1, "file"), "1 file");
        assert_eq!(age(59), "moments");
        assert_eq!(age(130 * 86_400), "4 months");
    }
}
