use proptest::prelude::*;

use super::*;

const LIST: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>
<!DOCTYPE xbel>
<xbel version=\"1.0\" xmlns:bookmark=\"b\">
  <!-- what was opened last -->
  <bookmark href=\"file:///home/ada/a%20b.odt\" added=\"2026-01-02T03:04:05Z\" visited=\"2026-02-02T03:04:05.25Z\">
    <info><metadata owner=\"o\"><bookmark:private/> &amp; more</metadata></info>
  </bookmark>
  <folder><bookmark href=\"file:///kept\"/></folder>
  <bookmark href=\"x:?a=1&amp;b=2\" modified=\"soon\"/>
  <bookmark/>
</xbel>
";

fn read(text: &str) -> Result<Xbel, XbelError> {
    Xbel::read(text.as_bytes().to_vec())
}

fn addresses(list: &Xbel) -> Vec<&str> {
    let entries = list.entries().iter();
    entries.map(|entry| entry.address.as_str()).collect()
}

#[test]
fn a_list_is_read_cut_and_filled_with_all_other_bytes_as_they_were() {
    let list = read(LIST).unwrap();
    assert_eq!(
        addresses(&list),
        ["file:///home/ada/a%20b.odt", "x:?a=1&b=2"]
    );
    assert_eq!(list.unnamed(), 1);
    let times: Vec<_> = list.entries().iter().map(|entry| entry.time).collect();
    assert_eq!(times, [Some(1_770_001_445), None]);
    let without = list.without(&|entry| entry.time.is_some());
    let (before, behind) = LIST.split_at(LIST.find("\n  <bookmark href=\"file").unwrap());
    let (_, behind) = behind.split_once("</bookmark>").unwrap();
    assert_eq!(without, [before, behind].concat());
    let cut = list.elements_of(&list.entries()[0]);
    assert!(
        cut.starts_with("<bookmark href=\"file:///home/ada/a%20b.odt\"")
            && cut.ends_with("</bookmark>")
    );
    let filled = read(&without).unwrap().with(&[cut]).unwrap();
    let filled = read(&filled).unwrap();
    assert_eq!(
        addresses(&filled),
        ["x:?a=1&b=2", "file:///home/ada/a%20b.odt"]
    );
    assert_eq!(filled.unnamed(), 1);
    // A list that is empty by now, and one that never said what the prefixes mean.
    let element = "<bookmark href=\"file:///x\"><mime:mime-type type=\"t\"/></bookmark>".to_owned();
    for bare in [
        "<xbel/>",
        "<xbel  version=\"1.0\" />\n",
        "<xbel></xbel>",
        EMPTY,
    ] {
        let filled = read(bare)
            .unwrap()
            .with(std::slice::from_ref(&element))
            .unwrap();
        let again = read(&filled).unwrap();
        assert_eq!(addresses(&again), ["file:///x"], "{filled}");
        assert!(filled.contains(PREFIXES[1].1));
    }
    let strange = "<bookmark href=\"file:///x\" own:x=\"1\"/>".to_owned();
    let refused = read(EMPTY).unwrap().with(&[strange]);
    assert_eq!(refused, Err(XbelError::UnknownPrefix("own".to_owned())));
}

#[test]
fn an_address_that_stands_twice_is_one_entry() {
    let text = "<xbel><bookmark href=\"a\"/> <bookmark href=\"b\"/><bookmark href=\"a\" added=\"2026-01-02T03:04:05Z\"/></xbel>";
    let list = read(text).unwrap();
    assert_eq!(addresses(&list), ["a", "b"]);
    assert!(list.entries()[0].time.is_some());
    let without = list.without(&|entry| entry.address == "a");
    assert_eq!(without, "<xbel> <bookmark href=\"b\"/></xbel>");
}

#[test]
fn what_is_no_list_is_refused_by_its_reason() {
    let deep = format!("<xbel>{}{}</xbel>", "<a>".repeat(70), "</a>".repeat(70));
    let many = format!(
        "<xbel>{}</xbel>",
        "<bookmark href=\"a\"/>".repeat(MOST_ENTRIES + 1)
    );
    for (text, reason) in [
        ("", XbelError::NotXbel),
        ("<html/>", XbelError::NotXbel),
        (
            "<!DOCTYPE xbel [<!ENTITY a \"aaaa\">]><xbel>&a;</xbel>",
            XbelError::Entities,
        ),
        (
            "<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><xbel/>",
            XbelError::NotUtf8,
        ),
        (&deep, XbelError::TooDeep),
        (&many, XbelError::TooMany),
    ] {
        assert_eq!(read(text), Err(reason));
    }
    assert_eq!(
        Xbel::read(b"<xbel>\xff</xbel>".to_vec()),
        Err(XbelError::NotUtf8)
    );
    for text in [
        "<xbel><bookmark href=\"a\"></xbel>",
        "<xbel><bookmark href=\"a\"/>",
        "<xbel/><xbel/>",
        "text<xbel/>",
        "<xbel>&own;</xbel>",
        "<xbel><bookmark href=\"a\" href=\"b\"/></xbel>",
        "<xbel><bookmark href=\"&own;\"/></xbel>",
    ] {
        assert!(
            matches!(read(text), Err(XbelError::Malformed { .. })),
            "{text}"
        );
    }
}

proptest! {
    #![proptest_config(crate::fuzz::config())]

    #[test]
    fn fuzz_a_list_that_can_be_read_loses_and_gets_exactly_what_is_asked(
        bytes in crate::fuzz::foreign(&[LIST.as_bytes(), EMPTY.as_bytes(), b"<xbel><bookmark href='a'/></xbel>"]),
        out in any::<u64>(),
    ) {
        if let Ok(list) = Xbel::read(bytes) {
            let is_out = |entry: &XbelEntry| (entry.address.len() as u64 ^ out) & 1 == 0;
            let (gone, kept): (Vec<_>, Vec<_>) = list.entries().iter().partition(|entry| is_out(entry));
            let names = |entries: &[&XbelEntry]| entries.iter().map(|entry| entry.address.clone()).collect::<Vec<_>>();
            let rest = read(&list.without(&is_out)).unwrap();
            prop_assert_eq!(addresses(&rest), names(&kept));
            let cut: Vec<String> = gone.iter().map(|entry| list.elements_of(entry)).collect();
            if let Ok(filled) = rest.with(&cut) {
                let filled = read(&filled).unwrap();
                let mut all = names(&kept);
                all.extend(names(&gone));
                prop_assert_eq!(addresses(&filled), all);
            }
        }
    }
}
