//! Colours on white paper; the classes are those of the screen.

use jolly_core::rule::Class;

pub(crate) const INK: &str = "#1f2630";
pub(crate) const QUIET: &str = "#646c76";
pub(crate) const FAINT: &str = "#d5d9de";
pub(crate) const KEPT: &str = "#c3c8ce";
pub(crate) const STRAW: &str = "#e6b450";

/// The colour of a class.
pub(crate) fn of_class(class: Class) -> &'static str {
    match class {
        Class::Spent => "#6cb8a6",
        Class::Regrows => "#7aa2dc",
        Class::Felt => "#c58fd0",
        Class::Ask => "#dd8a5f",
    }
}
