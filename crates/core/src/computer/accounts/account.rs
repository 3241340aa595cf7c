//! Accounts, from the target's own account file.

use std::collections::HashSet;

use crate::computer::{AccountName, TargetPath};
use crate::format::Printable;

/// A person's home on the target.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// The name to sign in with, made harmless.
    pub name: AccountName,
    /// The number that owns its files.
    pub user: u32,
    /// Its home below the target's root.
    pub home: TargetPath,
    /// On windows layouts the account's security identifier, where the disk tells it.
    pub security_id: Option<String>,
    /// When somebody last used it, seconds since 1970, as far as the disk tells.
    pub last_used: Option<i64>,
}

/// Accounts below this number belong to services (the convention of `login.defs`), but for 0.
const FIRST_PERSON: u32 = 1000;

/// The account that owns nothing, by convention.
const NOBODY: u32 = 65534;

/// Reads `etc/passwd` (the format of passwd(5)); lines that don't fit are left out.
pub(crate) fn read_passwd(text: &[u8]) -> Vec<Account> {
    let mut accounts: Vec<Account> = Vec::new();
    let (mut homes, mut names) = (HashSet::new(), HashSet::new());
    for line in text.split(|byte| *byte == b'\n') {
        let mut fields = line.split(|byte| *byte == b':');
        let (Some(name), Some(_), Some(user), Some(_), Some(_), Some(home)) = (
            fields.next(),
            fields.next(),
            fields.next(),
            fields.next(),
            fields.next(),
            fields.next(),
        ) else {
            continue;
        };
        let Ok(name) = std::str::from_utf8(name) else {
            continue;
        };
        let Some(user) = std::str::from_utf8(user)
            .ok()
            .and_then(|text| text.parse().ok())
        else {
            continue;
        };
        let is_person = user == 0 || (user >= FIRST_PERSON && user != NOBODY);
        let Ok(home) = TargetPath::from_inside(home) else {
            continue;
        };
        let is_known = homes.contains(&home) || names.contains(name);
        if is_person && !name.is_empty() && !home.is_root() && !is_known {
            homes.insert(home.clone());
            names.insert(name.to_owned());
            accounts.push(Account {
                name: Printable(name.as_bytes()).to_string().into(),
                user,
                home,
                security_id: None,
                last_used: None,
            });
        }
    }
    accounts
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_arbitrary_bytes_name_nobody_outside_the_target(
            fields in proptest::collection::vec("[^\n]{0,12}", 0..40), bytes in proptest::collection::vec(any::<u8>(), 0..200),
        ) {
            let text = [fields.join(":").into_bytes(), bytes].join(&b'\n');
            for account in read_passwd(&text) {
                prop_assert!(!account.home.is_root() && !account.name.is_empty());
                prop_assert!(!account.name.chars().any(char::is_control));
            }
        }
    }

    #[test]
    fn people_are_told_from_services_and_nonsense() {
        let text = b"root:x:0:0:root:/root:/bin/sh\ndaemon:x:1:1::/usr/sbin:/bin/false\n\
            pia:x:1001:1001:Pia:/home/pia:/bin/sh\nup:x:1002:1:::\nout:x:1003:1::/home/../etc:x\n\
            nobody:x:65534:65534::/nonexistent:/bin/false\n\xff:x:1004:1::/home/x:\nbroken\n\
            twin:x:1005:1::/home/pia:/bin/sh\n";
        let names: Vec<AccountName> = read_passwd(text)
            .into_iter()
            .map(|account| account.name)
            .collect();
        assert_eq!(names, ["root", "pia"]);
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_accounts(bytes in crate::fuzz::foreign(&[
            b"root:x:0:0:root:/root:/bin/sh\nada:x:1001:1001:Ada:/home/ada:/bin/sh\n",
        ])) {
            for account in read_passwd(&bytes) {
                proptest::prop_assert!(!account.name.is_empty() && !account.home.is_root());
            }
        }
    }
}
