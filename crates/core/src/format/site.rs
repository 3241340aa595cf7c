//! Sites: what a person calls a web site, out of the host of a cookie or the address of a page.
//!
//! A site is the registrable domain of a host by the public suffix list (publicsuffix.org), which the crate `psl` brings
//! along; an IP address and a name of the own network stand for themselves. Names are compared as IDNA writes them
//! (UTS #46), and shown readable where no letters of two scripts can be mistaken for each other.

use std::fmt;
use std::net::{IpAddr, Ipv6Addr};

use serde::{Serialize, Serializer};

/// The longest name of a host, in bytes (RFC 1035).
const MOST_BYTES: usize = 253;

/// A site, as it is compared: in small ASCII letters.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Site(String);

impl Site {
    /// The site of a host; none where that is no name of one. A dot before it, as cookies have it, counts for nothing.
    pub fn of_host(host: &str) -> Option<Self> {
        let host = host.strip_prefix('.').unwrap_or(host);
        let host = host.strip_suffix('.').unwrap_or(host).to_lowercase();
        if host.is_empty() || host.len() > MOST_BYTES {
            return None;
        }
        let bare = host.strip_prefix('[').and_then(|it| it.strip_suffix(']'));
        let bare = bare.unwrap_or(&host);
        // An address has no suffix, and a list of suffixes would find one all the same.
        if bare.parse::<IpAddr>().is_ok() {
            return Some(Self(bare.to_owned()));
        }
        let is_odd = |letter: char| letter.is_control() || letter.is_whitespace();
        let is_address = host.contains(':') && host.parse::<Ipv6Addr>().is_err();
        if is_address || host.contains(['/', '\\']) || host.contains(is_odd) {
            return None;
        }
        if host.split('.').any(str::is_empty) {
            return None;
        }
        // What IDNA refuses keeps its own spelling, or it would vanish from every list.
        let is_plain = host.is_ascii() && !host.contains("xn--");
        let ascii = if is_plain {
            host
        } else {
            idna::domain_to_ascii(&host).unwrap_or(host)
        };
        let domain = psl::domain(ascii.as_bytes());
        let domain = domain.and_then(|domain| std::str::from_utf8(domain.as_bytes()).ok());
        let site = domain.map_or_else(|| ascii.clone(), str::to_owned);
        (site.len() <= MOST_BYTES).then_some(Self(site))
    }

    /// The site of a page; none where its address names no host.
    pub fn of_address(address: &str) -> Option<Self> {
        Self::of_host(host_of_address(address)?)
    }

    /// The site in either of them.
    pub fn of_host_or_address(text: &str) -> Option<Self> {
        if text.contains("://") {
            Self::of_address(text)
        } else {
            Self::of_host(text)
        }
    }

    /// As it is compared and written into files.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// For people: with its own letters, unless these could be mistaken for others.
    pub fn shown(&self) -> String {
        if !self.0.contains("xn--") {
            return self.0.clone();
        }
        let (readable, result) = idna::domain_to_unicode(&self.0);
        let is_plain = result.is_ok() && readable.split('.').all(is_of_one_script);
        if is_plain { readable } else { self.0.clone() }
    }
}

impl fmt::Display for Site {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(&self.0)
    }
}

impl Serialize for Site {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.0)
    }
}

/// The host in the address of a page (RFC 3986): without scheme, person, port and path.
pub fn host_of_address(address: &str) -> Option<&str> {
    let (_, rest) = address.split_once("://")?;
    let end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    let authority = rest.get(..end)?;
    let host = authority.rsplit_once('@').map_or(authority, |(_, it)| it);
    if host.starts_with('[') {
        return host.get(..=host.find(']')?);
    }
    let host = host.split_once(':').map_or(host, |(host, _)| host);
    (!host.is_empty()).then_some(host)
}

/// Whether the letters of a part of a name are Latin, or of the scripts of East Asia.
fn is_of_one_script(label: &str) -> bool {
    let is_neutral = |letter: char| matches!(letter, '-' | '0'..='9');
    let is_latin = |letter: char| letter.is_ascii() || ('\u{df}'..='\u{24f}').contains(&letter);
    let is_eastern = |letter: char| ('\u{3040}'..='\u{9fff}').contains(&letter);
    label.chars().all(is_latin)
        || label
            .chars()
            .all(|letter| is_neutral(letter) || is_eastern(letter))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_site_is_what_somebody_registered() {
        for (text, site) in [
            (".tides.example", Some("tides.example")),
            ("www.tides.example.", Some("tides.example")),
            (
                "https://pia@shop.tides.example:8443/a?b#c",
                Some("tides.example"),
            ),
            ("Shop.Boats.CO.UK", Some("boats.co.uk")),
            (".co.uk", Some("co.uk")),
            ("localhost", Some("localhost")),
            ("http://nas:5000/", Some("nas")),
            ("127.0.0.1", Some("127.0.0.1")),
            ("http://[::1]:8080/", Some("::1")),
            ("192.168.1.20", Some("192.168.1.20")),
            ("www.münchen.example", Some("xn--mnchen-3ya.example")),
            ("xn--mnchen-3ya.example", Some("xn--mnchen-3ya.example")),
            ("xn--a.example", Some("xn--a.example")),
            ("a..b", None),
            ("..", None),
            ("", None),
            ("has space.example", None),
            ("file:///home/pia/boats.html", None),
            ("about:config", None),
            ("a/b", None),
        ] {
            let found = Site::of_host_or_address(text);
            assert_eq!(found.as_ref().map(Site::as_str), site, "{text}");
        }
        let shown = |text: &str| Site::of_host(text).unwrap().shown();
        assert_eq!(shown("www.münchen.example"), "münchen.example");
        // A Cyrillic letter looks like a Latin one.
        assert_eq!(shown("xn--80ak6aa92e.example"), "xn--80ak6aa92e.example");
        assert!(Site::of_host(&"a.".repeat(200)).is_none());
    }
}
