//! The id of a rule.

use crate::format::text::text_id::text_id;

text_id! {
    /// The whole id of a rule: its book's and its own, such as `linux/old-logs`.
    RuleId
}
