//! What went: by account and class as one picture, and the biggest things.

use std::collections::BTreeMap;

use jolly_core::plan::Outcome;
use jolly_core::rule::Class;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut_front, left, right, shares};
use crate::tui::model::Report;
use crate::tui::theme::{Role, Theme};
use crate::wording::bytes;

/// Width of an account's name, and of a size.
const ACCOUNT: usize = 10;
const SIZE: usize = 11;

/// From this width on the two stand side by side.
const WIDE: usize = 110;

/// The pictures, in at most so many lines.
pub(super) fn draw(
    theme: &Theme,
    report: &Report,
    width: usize,
    room: usize,
) -> Vec<Line<'static>> {
    if report.summary.went.is_empty() {
        return vec![Line::styled(" Nothing went.", theme.style(Role::Quiet))];
    }
    let is_wide = width >= WIDE && !theme.is_spoken();
    let half = if is_wide { width / 2 } else { width };
    let mut picture = accounts(theme, report, half.saturating_sub(2));
    let largest = biggest(theme, report, half.saturating_sub(2));
    if !is_wide {
        if picture.len() + 2 + largest.len() <= room {
            picture.push(Pieces::default());
            picture.extend(largest);
        }
        return picture.into_iter().map(Pieces::line).collect();
    }
    let rows = picture.len().max(largest.len());
    let mut right = largest.into_iter();
    let mut picture = picture.into_iter();
    (0..rows)
        .map(|_| {
            let mut line = picture.next().unwrap_or_default();
            line.to(half + 1);
            let mut line = line.line();
            if let Some(piece) = right.next() {
                line.spans.extend(piece.line().spans);
            }
            line
        })
        .collect()
}

/// For each account, what went of each class, on one scale; above it what the colours are.
fn accounts(theme: &Theme, report: &Report, width: usize) -> Vec<Pieces<'static>> {
    let mut by_account: BTreeMap<&str, [u64; 4]> = BTreeMap::new();
    let mut by_class = [0_u64; 4];
    for ((class, account), sum) in &report.summary.went {
        let at = Class::ALL
            .iter()
            .position(|other| other == class)
            .unwrap_or(0);
        let name = account.as_deref().unwrap_or("system");
        let row = by_account.entry(name).or_default();
        for list in [row, &mut by_class] {
            if let Some(held) = list.get_mut(at) {
                *held = held.saturating_add(sum.bytes);
            }
        }
    }
    let mut legend = Pieces::default();
    legend.add(" ", theme.style(Role::Quiet));
    for (class, held) in Class::ALL.into_iter().zip(by_class) {
        if held > 0 {
            let style = theme.style(Theme::class_role(class));
            let words = format!(
                "{} {} {}   ",
                theme.class_glyph(class),
                class.name(),
                bytes(held)
            );
            legend.add(words, style);
        }
    }
    let mut rows: Vec<(&str, [u64; 4])> = by_account.into_iter().collect();
    rows.sort_by_key(|(_, held)| std::cmp::Reverse(held.iter().sum::<u64>()));
    let most: u64 = rows
        .first()
        .map_or(1, |(_, held)| held.iter().sum::<u64>().max(1));
    let room = width.saturating_sub(ACCOUNT + SIZE + 2);
    let mut all = vec![legend];
    for (name, held) in rows {
        let whole: u64 = held.iter().sum();
        let cells = u128::from(whole) * room as u128 / u128::from(most);
        let cells = usize::try_from(cells).unwrap_or(room).clamp(1, room.max(1));
        let mut line = Pieces::default();
        line.add(format!(" {}", left(name, ACCOUNT)), theme.style(Role::Text));
        for (class, part) in Class::ALL.into_iter().zip(shares(held, cells)) {
            let role = Theme::class_role(class);
            match theme.fill(role) {
                Some(style) => line.add(" ".repeat(part), style),
                None => line.add(theme.class_glyph(class).repeat(part), theme.style(role)),
            };
        }
        line.to(1 + ACCOUNT + room);
        line.add(right(&bytes(whole), SIZE), theme.style(Role::Text));
        all.push(line);
    }
    all
}

/// The biggest things that went.
fn biggest(theme: &Theme, report: &Report, width: usize) -> Vec<Pieces<'static>> {
    let mut heading = Pieces::default();
    let largest = &report.summary.biggest;
    heading.add(" the biggest of it", theme.style(Role::Quiet));
    let mut all = vec![heading];
    for large in largest {
        let mut line = Pieces::default();
        line.add(right(&bytes(large.bytes), SIZE), theme.style(Role::Text));
        let aside = match large.outcome {
            Outcome::SetAside => "  set aside",
            Outcome::Shared => "  still there, its bytes shared",
            Outcome::Packed => "  packed beside itself",
            _ => "",
        };
        let room = width.saturating_sub(SIZE + 2 + aside.len());
        line.add(
            format!("  {}", cut_front(&large.place, room)),
            theme.style(Role::Text),
        );
        line.add(aside, theme.style(Role::Quiet));
        all.push(line);
    }
    all
}
