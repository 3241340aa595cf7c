//! Where keys count: a station, one of its views, or what stands before it.

use crate::tui::model::{Model, Overlay, Station};

/// Where keys count.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum Context {
    Arrive,
    Scan,
    /// The piles at weigh.
    Ages,
    /// One pile at weigh, from inside.
    Inside,
    Check,
    /// The word at check, of which a letter is typed.
    Word,
    Sweep,
    Report,
    Exclusions,
    /// The sites lens.
    Sites,
    /// The programs lens.
    Programs,
    /// Where the space is.
    Space,
    /// Which files are there twice.
    Copies,
    Decided,
    Starts,
    Rulebooks,
    Dustpan,
    Runs,
    /// What starts by itself.
    Startup,
}

impl Context {
    /// Every one.
    #[cfg(test)]
    pub(in crate::tui) const ALL: [Self; 19] = [
        Self::Arrive,
        Self::Scan,
        Self::Ages,
        Self::Inside,
        Self::Check,
        Self::Word,
        Self::Sweep,
        Self::Report,
        Self::Exclusions,
        Self::Sites,
        Self::Programs,
        Self::Space,
        Self::Copies,
        Self::Decided,
        Self::Starts,
        Self::Rulebooks,
        Self::Dustpan,
        Self::Runs,
        Self::Startup,
    ];

    /// The station that it is, where it is one.
    pub(in crate::tui) fn station(self) -> Option<Station> {
        Some(match self {
            Self::Arrive => Station::Arrive,
            Self::Scan => Station::Scan,
            Self::Ages | Self::Inside => Station::Weigh,
            Self::Check | Self::Word => Station::Check,
            Self::Sweep => Station::Sweep,
            Self::Report => Station::Report,
            Self::Exclusions
            | Self::Sites
            | Self::Programs
            | Self::Space
            | Self::Copies
            | Self::Decided
            | Self::Starts
            | Self::Rulebooks
            | Self::Dustpan
            | Self::Runs
            | Self::Startup => return None,
        })
    }

    /// What the help calls it.
    pub(in crate::tui) fn name(self) -> &'static str {
        match self {
            Self::Arrive => "arrive",
            Self::Scan => "scan",
            Self::Ages => "weigh",
            Self::Inside => "weigh, inside a pile",
            Self::Check => "check",
            Self::Word => "check, the word half typed",
            Self::Sweep => "sweep",
            Self::Report => "report",
            Self::Exclusions => "exclusions",
            Self::Sites => "sites",
            Self::Programs => "programs",
            Self::Space => "where the space is",
            Self::Copies => "copies",
            Self::Decided => "what was decided",
            Self::Starts => "how this shop starts",
            Self::Rulebooks => "rulebooks",
            Self::Dustpan => "dustpan",
            Self::Runs => "earlier runs",
            Self::Startup => "what starts by itself",
        }
    }
}

impl Model {
    /// Where keys count at the station itself.
    pub(in crate::tui) fn station_context(&self) -> Context {
        match self.station {
            Station::Arrive => Context::Arrive,
            Station::Scan => Context::Scan,
            Station::Weigh => match &self.weigh {
                Some(weigh) if weigh.inside.is_some() => Context::Inside,
                _ => Context::Ages,
            },
            Station::Check => match &self.check {
                Some(check) if !check.typed.is_empty() => Context::Word,
                _ => Context::Check,
            },
            Station::Sweep => Context::Sweep,
            Station::Report => Context::Report,
        }
    }

    /// Where keys count now; nowhere while something is typed.
    pub(in crate::tui) fn context(&self) -> Option<Context> {
        match &self.overlay {
            None => Some(self.station_context()),
            Some(overlay) => overlay.context(),
        }
    }
}

impl Overlay {
    /// Whose keys the help tells when it stands before this view, or before the station.
    pub(in crate::tui) fn context_of_help(behind: Option<&Self>, model: &Model) -> Context {
        let own = behind.and_then(Self::context);
        own.unwrap_or_else(|| model.station_context())
    }

    /// Where keys count while it stands there; nowhere while something is typed.
    pub(in crate::tui) fn context(&self) -> Option<Context> {
        match self {
            Self::Exclusions(_) => Some(Context::Exclusions),
            Self::Sites(_) => Some(Context::Sites),
            Self::Programs(_) => Some(Context::Programs),
            Self::Space(_) => Some(Context::Space),
            Self::Copies(_) => Some(Context::Copies),
            Self::Decided(_) => Some(Context::Decided),
            Self::Dustpan(_) => Some(Context::Dustpan),
            Self::Runs(_) => Some(Context::Runs),
            Self::Startup(_) => Some(Context::Startup),
            Self::Starts(view) => view.asking.is_none().then_some(Context::Starts),
            Self::Rulebooks(view) => view.asking.is_none().then_some(Context::Rulebooks),
            Self::Help(..)
            | Self::ExactAge(..)
            | Self::Find(..)
            | Self::Open(..)
            | Self::Save(..)
            | Self::Export(_)
            | Self::Packing(_)
            | Self::Wipe(_)
            | Self::Languages(_)
            | Self::Pieces(_)
            | Self::Upkeep(_)
            | Self::Exclude(_)
            | Self::Uninstall(_)
            | Self::Belongs(_)
            | Self::Place(_) => None,
        }
    }
}
