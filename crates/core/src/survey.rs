//! A look at a whole computer that no rule can say: what it is, and what shows that it needs care.
//!
//! Everything here is cheap: it is told when its time is up, and says so in its figures.

mod arrival;
mod copies;
mod extensions;
mod folders;
mod kept_in;
mod leftovers;
mod lying;
mod profiles;
mod programs;
mod sites;
mod space;
pub(crate) mod startup;

pub(crate) use arrival::mending_tool;
pub use arrival::{
    Arrival, Fact, Figure, InPieces, Sign, arrive, count_pieces, facts, files_in_pieces, signs,
};
pub use copies::{
    ChosenCopy, Copies, CopyGroup, CopyNews, FolderPair, MeantTheSame, PairChoice, Picture,
    Recording, Side, StaysFor, Version, VersionFacts, VersionGroup, Versions, chosen_copies,
    chosen_files, chosen_versions, copies, is_panic_caught, said_of, searches_of_copies, twins_of,
    versions,
};
pub use extensions::{Extension, Origin, extensions};
pub use leftovers::{Grade, Leftover, LeftoverFolder, leftovers, searches_of_leftovers};
pub use lying::{FileSort, Likely, Lying, lying};
pub(crate) use profiles::profile_of;
pub use profiles::{Profile, profiles};
pub use programs::uninstall::{
    RemovedPackage, Uninstall, UninstallError, Unwanted, is_running_system, uninstall,
};
pub use programs::{
    Belongs, Footprint, Inventory, Occupied, Processors, Program, ProgramSource, Reason, inventory,
    programs,
};
pub use sites::{HostTraces, SiteTraces, Sites, sites, sites_and_extensions};
pub use space::{
    Held, Part, Shelf, Snapshot, Snapshots, Space, SpaceBefore, Whole, snapshots, space,
};
pub use startup::{RegistryWay, StartEntry, StartId, StartSource, Startup, Switch, startup};
