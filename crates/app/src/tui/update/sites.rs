//! Looking through the sites: keeping one, or letting it go.

use std::sync::Arc;

use jolly_core::decide::{Exclusion, Scope, Spot};
use jolly_core::format::Site;
use jolly_core::pile::Scan;
use jolly_core::survey::Sites;

use crate::tui::keys::Action;
use crate::tui::model::{Model, Overlay, RowKind, SiteOrder, SiteRow, SitesView};
use crate::tui::msg::{Effect, Question, Spared};
use crate::tui::update::change::{back_or_again, change};
use crate::tui::update::{moved, programs, weigh};
use crate::wording::counted;

/// Opens the lens.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let mut view = SitesView::new(weigh.scan.now);
    let effects = match &weigh.sites {
        Some(sites) => {
            view.read(Arc::clone(sites));
            Vec::new()
        }
        None => vec![Effect::Question(Question::LookAtSites(Arc::clone(
            &weigh.scan,
        )))],
    };
    model.overlay = Some(Overlay::Sites(Box::new(view)));
    effects
}

/// Takes in what the profiles say.
pub(super) fn found(model: &mut Model, scan: &Arc<Scan>, sites: Arc<Sites>) {
    let weigh = model.weigh.as_mut();
    let Some(weigh) = weigh.filter(|weigh| Arc::ptr_eq(&weigh.scan, scan)) else {
        return;
    };
    weigh.sites = Some(Arc::clone(&sites));
    if let Some(view) = view(&mut model.overlay) {
        view.read(sites);
    }
}

/// The lens, wherever it stands.
fn view(overlay: &mut Option<Overlay>) -> Option<&mut SitesView> {
    match overlay {
        Some(Overlay::Sites(view)) => Some(view),
        Some(Overlay::Find(_, Some(behind)) | Overlay::Help(_, Some(behind))) => {
            match &mut **behind {
                Overlay::Sites(view) => Some(view),
                _ => None,
            }
        }
        _ => None,
    }
}

pub(super) fn act(model: &mut Model, mut view: Box<SitesView>, action: Action) -> Vec<Effect> {
    let effects = match action {
        Action::Lens => return programs::open(model),
        Action::Toggle => keep(model, &mut view, Scope::Computer),
        Action::KeepEverywhere => keep(model, &mut view, Scope::Everywhere),
        Action::KeepSuggested => keep_suggested(model, &mut view),
        Action::TakeCookies => take(model, RowKind::Cookies),
        Action::TakeHistory => take(model, RowKind::History),
        Action::Enter | Action::Into | Action::OutOf => {
            turn(&mut view, action);
            Vec::new()
        }
        Action::Order => {
            let at = SiteOrder::ALL.iter().position(|it| *it == view.order);
            let next = at.map_or(0, |at| (at + 1) % SiteOrder::ALL.len());
            view.order = SiteOrder::ALL[next];
            view.arrange();
            model.message = Some(format!("Ordered {}.", view.order.words()));
            Vec::new()
        }
        Action::Profile => {
            let many = view.sites.as_ref().map_or(0, |sites| sites.profiles.len());
            view.profile = match view.profile {
                None if many > 0 => Some(0),
                Some(at) if at + 1 < many => Some(at + 1),
                _ => None,
            };
            view.sum_up();
            view.focus = 0;
            Vec::new()
        }
        Action::Undo | Action::Redo => back_or_again(model, action),
        _ => {
            view.focus = moved(view.focus, view.rows.len(), action);
            Vec::new()
        }
    };
    model.overlay = Some(Overlay::Sites(view));
    effects
}

/// Shows the hosts of a site, or hides them.
fn turn(view: &mut SitesView, action: Action) {
    let Some(site) = view.focused().map(|sum| sum.site.clone()) else {
        return;
    };
    let is_open = view.opened.contains(&site);
    match action {
        Action::Into if is_open => return,
        Action::OutOf | Action::Enter if is_open => drop(view.opened.remove(&site)),
        Action::OutOf => return,
        _ => drop(view.opened.insert(site)),
    }
    view.arrange();
}

fn exclusion(model: &Model, site: Site, scope: Scope) -> Exclusion {
    let today = model.weigh.as_ref().map(|weigh| weigh.today);
    Exclusion {
        scope,
        since: today,
        ..Exclusion::of_site(site)
    }
}

/// Keeps a site, or lets it go where it is kept so already.
fn keep(model: &mut Model, view: &mut SitesView, scope: Scope) -> Vec<Effect> {
    let (Some(weigh), Some(sum)) = (&model.weigh, view.focused()) else {
        return Vec::new();
    };
    let (site, shown) = (sum.site.clone(), sum.shown.clone());
    let is_of_site = |one: &Exclusion| one.spares.spot == Some(Spot::Site(site.clone()));
    if view.pending.iter().any(is_of_site) {
        view.pending.retain(|one| !is_of_site(one));
        return ask(model, view);
    }
    let known = weigh.kept_sites().get(&site).copied();
    let is_more =
        scope == Scope::Everywhere && known.is_some_and(|known| known != Scope::Everywhere);
    if known.is_some() && !is_more {
        let ((), effects) = change(model, |weigh| {
            let all = weigh.decisions.exclusions().iter();
            let left = all
                .filter(|one| !is_of_site(&one.exclusion))
                .cloned()
                .collect();
            let scan = Arc::clone(&weigh.scan);
            let what = format!("{shown} is let go");
            weigh.decisions.exclude(&scan, &what, left);
        });
        model.message = Some(format!("{shown} is no longer kept; u undoes it."));
        return effects;
    }
    view.pending.push(exclusion(model, site, scope));
    ask(model, view)
}

/// Keeps every site that is worth it and isn't kept.
fn keep_suggested(model: &mut Model, view: &mut SitesView) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let kept = weigh.kept_sites();
    let new = view
        .sums
        .iter()
        .filter(|sum| sum.is_suggested && !kept.contains_key(&sum.site));
    let new: Vec<Exclusion> = new
        .map(|sum| exclusion(model, sum.site.clone(), Scope::Computer))
        .collect();
    if new.is_empty() {
        model.message = Some("Every site that is worth keeping is kept.".to_owned());
        return Vec::new();
    }
    view.pending = new;
    ask(model, view)
}

/// Has it found out what keeping these would spare.
fn ask(model: &Model, view: &SitesView) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let scan = Arc::clone(&weigh.scan);
    vec![Effect::Question(Question::SpareSites(
        scan,
        view.pending.clone(),
    ))]
}

/// It is known what the sites spare: from now on they are kept.
pub(super) fn spared(model: &mut Model, scan: &Arc<Scan>, spared: Spared) -> Vec<Effect> {
    let is_current = model
        .weigh
        .as_ref()
        .is_some_and(|weigh| Arc::ptr_eq(&weigh.scan, scan));
    if !is_current {
        return Vec::new();
    }
    let new = match spared {
        Ok(new) => new,
        Err(why) => {
            model.message = Some(format!("Nothing is kept: {why}."));
            return Vec::new();
        }
    };
    if let Some(view) = view(&mut model.overlay) {
        view.pending.clear();
    }
    let names: Vec<String> = new
        .iter()
        .filter_map(|one| match &one.exclusion.spares.spot {
            Some(Spot::Site(site)) => Some(site.shown()),
            _ => None,
        })
        .collect();
    let what = match &names[..] {
        [] => return Vec::new(),
        [one] => format!("{one} is kept"),
        more => format!("{} are kept", counted(more.len() as u64, "site")),
    };
    let everywhere = new
        .iter()
        .all(|one| one.exclusion.scope == Scope::Everywhere);
    let rows: u64 = new.iter().map(|one| one.reach.found.items).sum();
    let ((), effects) = change(model, |weigh| {
        let is_again = |known: &jolly_core::decide::Excluded| {
            new.iter()
                .any(|one| one.exclusion.spares == known.exclusion.spares)
        };
        let known = weigh.decisions.exclusions().iter();
        let mut all: Vec<_> = known.filter(|known| !is_again(known)).cloned().collect();
        all.extend(new.iter().cloned());
        let scan = Arc::clone(&weigh.scan);
        weigh.decisions.exclude(&scan, &what, all);
    });
    let r#where = if everywhere {
        "on all computers"
    } else {
        "on this computer"
    };
    model.message = Some(format!(
        "{what} {where}: {} spared; u undoes it.",
        counted(rows, "item")
    ));
    effects
}

/// Takes or leaves all piles of a kind of rows.
fn take(model: &mut Model, kind: RowKind) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let piles = weigh.row_piles(kind);
    if piles.is_empty() {
        model.message = Some("No browser of this computer has any.".to_owned());
        return Vec::new();
    }
    let said = weigh::toggle(model, &piles);
    let is_taken = model
        .weigh
        .as_ref()
        .is_some_and(|weigh| weigh.takes_any(&piles));
    let what = match kind {
        RowKind::Cookies => "Cookies",
        RowKind::History => "The history",
    };
    model.message = said.or_else(|| {
        Some(if is_taken {
            format!("{what} of all sites that aren't kept will go; u undoes it.")
        } else {
            format!("{what} will stay.")
        })
    });
    Vec::new()
}

/// What a row is called.
pub(super) fn holds(view: &SitesView, at: usize) -> String {
    let row = view.rows.get(at).copied();
    row.map_or_else(String::new, |row: SiteRow| view.name_of(row))
}
