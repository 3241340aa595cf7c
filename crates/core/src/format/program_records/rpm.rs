//! Headers of RPM packages as its database keeps them (the header structure of RPM's file format, without the lead and the
//! eight bytes before it): an index of tags, and what they hold.

/// What is read of them, by tag.
const NAME: u32 = 1000;
const VERSION: u32 = 1001;
const RELEASE: u32 = 1002;
const INSTALLED: u32 = 1008;
const SIZE: u32 = 1009;
const VENDOR: u32 = 1011;
const FOLDER_INDEXES: u32 = 1116;
const BASE_NAMES: u32 = 1117;
const FOLDER_NAMES: u32 = 1118;
const LONG_SIZE: u32 = 5009;

/// No package has more tags, and none more files.
const MOST_TAGS: u32 = 1 << 16;
const MOST_FILES: u32 = 1 << 20;

/// One package.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct RpmPackage {
    pub name: String,
    pub version: String,
    pub vendor: String,
    /// Bytes when installed.
    pub bytes: u64,
    /// When it was installed, seconds since 1970.
    pub installed: Option<i64>,
    /// Its files, from the root.
    pub files: Vec<String>,
}

struct Tag {
    name: u32,
    at: usize,
    count: u32,
}

struct Header<'a> {
    tags: Vec<Tag>,
    held: &'a [u8],
}

/// Reads a header; nothing where it is none.
pub(crate) fn package(bytes: &[u8]) -> Option<RpmPackage> {
    let many = number(bytes, 0).filter(|many| *many <= MOST_TAGS)?;
    let from = 8 + many as usize * 16;
    let length = number(bytes, 4)? as usize;
    let held = bytes.get(from..from.checked_add(length)?)?;
    let tag = |at: usize| {
        Some(Tag {
            name: number(bytes, 8 + at * 16)?,
            at: number(bytes, 16 + at * 16)? as usize,
            count: number(bytes, 20 + at * 16)?,
        })
    };
    let tags = (0..many as usize).map(tag).collect::<Option<Vec<_>>>()?;
    let header = Header { tags, held };
    let text = |tag| header.texts(tag).next().unwrap_or_default().to_owned();
    let (version, release) = (text(VERSION), text(RELEASE));
    let long = header.find(LONG_SIZE).and_then(|tag| {
        let bytes = held.get(tag.at..)?.first_chunk()?;
        Some(u64::from_be_bytes(*bytes))
    });
    let package = RpmPackage {
        name: text(NAME),
        version: if release.is_empty() {
            version
        } else {
            format!("{version}-{release}")
        },
        vendor: text(VENDOR),
        bytes: long
            .or_else(|| header.numbers(SIZE).next().map(u64::from))
            .unwrap_or(0),
        installed: header.numbers(INSTALLED).next().map(i64::from),
        files: header.files(),
    };
    (!package.name.is_empty()).then_some(package)
}

fn number(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_be_bytes(*bytes.get(at..)?.first_chunk()?))
}

impl<'a> Header<'a> {
    fn find(&self, tag: u32) -> Option<&Tag> {
        self.tags.iter().find(|it| it.name == tag)
    }

    fn numbers(&self, tag: u32) -> impl Iterator<Item = u32> {
        let (at, count) = self
            .find(tag)
            .map_or((0, 0), |tag| (tag.at, tag.count.min(MOST_FILES)));
        (0..count as usize).map_while(move |step| number(self.held, at.checked_add(step * 4)?))
    }

    fn texts(&self, tag: u32) -> impl Iterator<Item = &'a str> + use<'a> {
        let found = self
            .find(tag)
            .and_then(|tag| Some((self.held.get(tag.at..)?, tag.count.min(MOST_FILES))));
        let (rest, count) = found.unwrap_or_default();
        let texts = rest.split(|byte| *byte == 0).take(count as usize);
        texts.map(|text| std::str::from_utf8(text).unwrap_or_default())
    }

    fn files(&self) -> Vec<String> {
        let folders: Vec<&str> = self.texts(FOLDER_NAMES).collect();
        let names = self.numbers(FOLDER_INDEXES).zip(self.texts(BASE_NAMES));
        names
            .filter_map(|(folder, name)| Some(format!("{}{name}", folders.get(folder as usize)?)))
            .collect()
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;

    /// A header that says this much.
    pub(crate) fn header(name: &str, version: &str, bytes: u32, files: &[(&str, &str)]) -> Vec<u8> {
        let short = |many: usize| u32::try_from(many).unwrap();
        let (mut index, mut held) = (Vec::new(), Vec::new());
        let mut many: u32 = 0;
        let mut put = |tag: u32, kind: u32, count: usize, value: &[u8]| {
            for word in [tag, kind, short(held.len()), short(count)] {
                index.extend(word.to_be_bytes());
            }
            held.extend_from_slice(value);
            many += 1;
        };
        let texts = |all: &mut dyn Iterator<Item = &str>| {
            all.flat_map(|it| it.bytes().chain([0]))
                .collect::<Vec<u8>>()
        };
        let places: Vec<u8> = (0..short(files.len())).flat_map(u32::to_be_bytes).collect();
        put(SIZE, 4, 1, &bytes.to_be_bytes());
        put(INSTALLED, 4, 1, &1_700_000_000_u32.to_be_bytes());
        put(FOLDER_INDEXES, 4, files.len(), &places);
        put(NAME, 6, 1, &texts(&mut [name].into_iter()));
        put(VERSION, 6, 1, &texts(&mut [version].into_iter()));
        put(
            BASE_NAMES,
            8,
            files.len(),
            &texts(&mut files.iter().map(|it| it.1)),
        );
        put(
            FOLDER_NAMES,
            8,
            files.len(),
            &texts(&mut files.iter().map(|it| it.0)),
        );
        [
            &many.to_be_bytes()[..],
            &short(held.len()).to_be_bytes(),
            &index,
            &held,
        ]
        .concat()
    }

    #[test]
    fn a_header_says_what_was_installed() {
        let read = package(&header("tide", "2.1", 4096, &[("/usr/bin/", "tide")])).unwrap();
        assert_eq!(
            (&*read.name, &*read.version, read.bytes),
            ("tide", "2.1", 4096)
        );
        assert_eq!(read.installed, Some(1_700_000_000));
        assert_eq!(read.files, ["/usr/bin/tide"]);
        assert_eq!(package(b""), None);
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_headers(bytes in crate::fuzz::foreign(&[&header("tide", "2.1", 4096, &[("/usr/bin/", "tide")])])) {
            drop(package(&bytes));
        }
    }
}
