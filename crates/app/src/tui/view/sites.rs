//! The sites lens: one row a site, with what it left and whether it is kept.

mod profile_card;

use std::collections::{BTreeSet, HashMap};

use jolly_core::decide::Scope;
use jolly_core::format::Site;
use jolly_core::survey::{HostTraces, Sites};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, left, right};
use crate::tui::model::{Context, Model, RowKind, SiteRow, SiteSum, SitesView, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{age, bytes, count, counted};

/// Width of whether a site is kept.
const STATE: usize = 15;
/// Widths of the figures.
const COUNT: usize = 9;
const USED: usize = 15;
const SIZE: usize = 11;
/// Fewest columns of evidence.
const EVIDENCE: usize = 24;

/// Lines of the card.
const CARD: usize = 4;

pub(super) fn draw(
    model: &Model,
    view: &SitesView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let Some(weigh) = &model.weigh else { return };
    let width = usize::from(work.width);
    let kept = weigh.kept_sites();
    let columns = SiteColumns::fit(width);
    let mut rows = vec![
        title(theme, (weigh, view), &kept),
        standing(theme, weigh, view),
        columns.heading(theme),
    ];
    let chosen = view
        .sites
        .as_ref()
        .zip(view.profile)
        .and_then(|(sites, at)| {
            let profile = sites.profiles.get(at)?;
            let size = (width, usize::from(work.height));
            Some(profile_card::lines(theme, weigh, (sites, profile), size))
        });
    let below = chosen.unwrap_or_default();
    let card_lines = CARD + below.len();
    let room = usize::from(work.height).saturating_sub(card_lines + rows.len() + 1);
    let first = first_row(view.focus, view.rows.len(), room);
    let goes = weigh.profiles_losing_cookies(view.sites.as_deref());
    for (at, row) in view.rows.iter().enumerate().skip(first).take(room) {
        let is_focus = at == view.focus;
        let drawer = RowDrawer {
            theme,
            view,
            kept: &kept,
            goes: &goes,
            columns: &columns,
        };
        let line = drawer.row(*row, is_focus);
        rows.push(if is_focus {
            raise(theme, line, work.width)
        } else {
            line
        });
    }
    if view.rows.is_empty() {
        let text = if view.sites.is_none() {
            "   Reading what the browsers of this computer know …"
        } else {
            "   No browser of this computer knows a site. Profiles are found by the databases in them."
        };
        rows.push(Line::styled(text, theme.style(Role::Quiet)));
    }
    let used = rows.len();
    let height = usize::from(work.height);
    rows.extend((used..height.saturating_sub(card_lines)).map(|_| Line::default()));
    if let (Some(sum), Some(sites)) = (view.focused(), &view.sites) {
        rows.extend(card(theme, weigh, sites, sum, width));
    }
    rows.extend(below);
    lines(frame, work, rows);
    if let Some(text) = &model.message {
        let line = Line::styled(format!(" {}", cut(text, width)), theme.style(Role::Straw));
        lines(frame, message, vec![Line::default(), line]);
    }
    keyline::draw(model, Context::Sites, theme, frame, keys);
}

fn title(
    theme: &Theme,
    (weigh, view): (&Weigh, &SitesView),
    kept: &HashMap<Site, Scope>,
) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(
        " Sites: what web sites left in browsers",
        theme.bold(Role::Straw),
    );
    if let Some(sites) = &view.sites {
        let own = view
            .sums
            .iter()
            .filter(|sum| kept.contains_key(&sum.site))
            .count();
        let shown = match view.profile.and_then(|at| sites.profiles.get(at)) {
            Some(profile) => format!("in {}", profile_card::name_of(weigh, profile)),
            None => format!("in {}", counted(sites.profiles.len() as u64, "profile")),
        };
        let sums = format!(
            "   {} {shown}, {} kept, {}",
            counted(view.sums.len() as u64, "site"),
            count(own as u64),
            view.order.words()
        );
        line.add(sums, theme.style(Role::Quiet));
    }
    line.line()
}

/// Whether cookies and history are to go.
fn standing(theme: &Theme, weigh: &Weigh, view: &SitesView) -> Line<'static> {
    let mut line = Pieces::default();
    line.to(1);
    for (kind, what) in [(RowKind::Cookies, "cookies"), (RowKind::History, "history")] {
        let piles = weigh.row_piles(kind);
        let mut takes = jolly_core::pile::Sum::default();
        for id in &piles {
            takes.add(weigh.decisions.takes(*id));
        }
        let (words, role) = if takes.items > 0 {
            (format!("{what}: {} go", count(takes.items)), Role::Straw)
        } else {
            (format!("{what}: all stay"), Role::Quiet)
        };
        line.add(words, theme.style(role));
        line.add("   ", theme.style(Role::Quiet));
    }
    let unread = view.sites.as_ref().map_or(0, |sites| sites.unread.len());
    if unread > 0 {
        let words = format!("{} couldn't be read", counted(unread as u64, "database"));
        line.add(words, theme.style(Role::Ask));
    }
    let added = view
        .sites
        .as_ref()
        .map_or(0, |sites| sites.extensions.len());
    if added > 0 && view.profile.is_none() {
        let words = format!(
            "   {} added to browsers: P shows them by profile",
            counted(added as u64, "extension")
        );
        line.add(words, theme.style(Role::Quiet));
    }
    line.line()
}

/// Which columns fit.
struct SiteColumns {
    site: usize,
    has_bytes: bool,
    evidence: usize,
}

impl SiteColumns {
    fn fit(width: usize) -> Self {
        let fixed = 2 + STATE + 2 * COUNT + USED;
        let has_bytes = width >= fixed + 2 * SIZE + 30;
        let rest = width.saturating_sub(fixed + if has_bytes { 2 * SIZE } else { 0 });
        let evidence = if rest >= 30 + EVIDENCE { rest - 34 } else { 0 };
        Self {
            site: rest - evidence,
            has_bytes,
            evidence,
        }
    }

    fn heading(&self, theme: &Theme) -> Line<'static> {
        let quiet = theme.style(Role::Quiet);
        let mut line = Pieces::default();
        line.to(2);
        line.add(left("", STATE), quiet);
        line.add(left("site", self.site), quiet);
        line.add(right("cookies", COUNT), quiet);
        line.add(right("visits", COUNT), quiet);
        line.add(right("last used", USED), quiet);
        if self.has_bytes {
            line.add(right("cache", SIZE), quiet);
            line.add(right("storage", SIZE), quiet);
        }
        if self.evidence > 0 {
            line.add(left("   signed in", self.evidence), quiet);
        }
        line.line()
    }
}

struct RowDrawer<'a> {
    theme: &'a Theme,
    view: &'a SitesView,
    kept: &'a HashMap<Site, Scope>,
    /// The profiles that cookies go from.
    goes: &'a BTreeSet<usize>,
    columns: &'a SiteColumns,
}

impl RowDrawer<'_> {
    fn row(&self, row: SiteRow, is_focus: bool) -> Line<'static> {
        let theme = self.theme;
        let mut line = Pieces::default();
        line.add(edge(theme, is_focus), theme.style(Role::Straw));
        line.to(2);
        let (SiteRow::Site(at) | SiteRow::Host(at, _)) = row;
        let Some(sum) = self.view.sums.get(at) else {
            return line.line();
        };
        match row {
            SiteRow::Site(_) => {
                let (state, role) = self.state(sum);
                line.add(left(state, STATE), theme.style(role));
                let www = format!("www.{}", sum.site);
                let others = sum.hosts.keys();
                let others = others.filter(|host| **host != www && *host != sum.site.as_str());
                let more = if others.count() > 0 {
                    format!("  {} hosts", sum.hosts.len())
                } else {
                    String::new()
                };
                let room = self.columns.site.saturating_sub(1);
                let name = cut(&sum.shown, room.saturating_sub(more.len()));
                let used = name.chars().count() + more.len();
                line.add(name, theme.style(Role::Text));
                line.add(more, theme.style(Role::Quiet));
                line.add(
                    " ".repeat(self.columns.site.saturating_sub(used)),
                    theme.style(Role::Quiet),
                );
                self.figures(&mut line, &sum.all, Role::Text);
                if self.columns.has_bytes {
                    for held in [sum.cache, sum.storage] {
                        let text = if held == 0 {
                            "–".to_owned()
                        } else {
                            bytes(held)
                        };
                        line.add(right(&text, SIZE), theme.style(Role::Text));
                    }
                }
                if self.columns.evidence > 0 {
                    let role = if sum.is_suggested {
                        Role::Regrows
                    } else {
                        Role::Faint
                    };
                    // Visits and last use have columns of their own.
                    let signed_in = sum.signed_in.clone().unwrap_or_default();
                    let words = format!("   {signed_in}");
                    line.add(cut(&words, self.columns.evidence), theme.style(role));
                }
            }
            SiteRow::Host(_, host) => {
                let Some((name, traces)) = sum.hosts.iter().nth(host) else {
                    return line.line();
                };
                line.add(left("", STATE), theme.style(Role::Quiet));
                let room = self.columns.site.saturating_sub(3);
                line.add(
                    left(&format!("  {}", cut(name, room)), self.columns.site),
                    theme.style(Role::Quiet),
                );
                self.figures(&mut line, traces, Role::Quiet);
            }
        }
        line.line()
    }

    fn state(&self, sum: &SiteSum) -> (&'static str, Role) {
        let is_pending =
            self.view.pending.iter().any(|one| {
                one.spares.spot == Some(jolly_core::decide::Spot::Site(sum.site.clone()))
            });
        match self.kept.get(&sum.site) {
            Some(Scope::Everywhere) => ("kept always", Role::Spent),
            Some(Scope::Run | Scope::Computer) => ("kept", Role::Spent),
            None if is_pending => ("…", Role::Quiet),
            None if sum.all.cookies > 0 && !self.goes.is_disjoint(&sum.profiles) => {
                ("goes", Role::Straw)
            }
            None if sum.is_suggested => ("worth keeping", Role::Regrows),
            None => ("", Role::Quiet),
        }
    }

    fn figures(&self, line: &mut Pieces, traces: &HostTraces, role: Role) {
        let style = self.theme.style(role);
        let number = |many: u64| {
            if many == 0 {
                "–".to_owned()
            } else {
                count(many)
            }
        };
        line.add(right(&number(traces.cookies), COUNT), style);
        line.add(right(&number(traces.visits), COUNT), style);
        let now = self.view.now.as_second();
        let used = traces
            .last_used
            .map(|at| age((now - at).max(0).unsigned_abs()));
        let used = used.map_or_else(|| "–".to_owned(), |age| format!("{age} ago"));
        line.add(right(&used, USED), style);
    }
}

/// More about the site in focus.
fn card(
    theme: &Theme,
    weigh: &Weigh,
    sites: &Sites,
    sum: &SiteSum,
    width: usize,
) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let mut head = Pieces::default();
    head.add(format!(" {}", sum.shown), theme.bold(Role::Text));
    if sum.site.as_str() != sum.shown {
        head.add(format!("   {}", sum.site), quiet);
    }
    let known = sum.profiles.iter().filter_map(|at| sites.profiles.get(*at));
    let known: Vec<String> = known
        .map(|profile| profile_card::name_of(weigh, profile))
        .collect();
    let because = if sum.evidence.is_empty() {
        "nothing says that somebody is signed in there".to_owned()
    } else {
        sum.evidence.join(", ")
    };
    vec![
        Line::styled(theme.glyphs.rule.repeat(width), theme.style(Role::Faint)),
        head.line(),
        Line::styled(
            cut(&format!("   known in  {}", known.join(", ")), width),
            quiet,
        ),
        Line::styled(cut(&format!("   evidence  {because}"), width), quiet),
    ]
}
