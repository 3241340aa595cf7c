//! The name of an account.

use crate::format::text::text_id::text_id;

text_id! {
    /// What an account is called on its target; of two visits, what tells that it is the same.
    AccountName
}
