//! The rows that a rule asks for: `[rule.records]`.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use toml::Spanned;

use crate::rule::parse::Reader;
use crate::rule::{AlsoRows, Epoch, RecordSet, RowFilter, RowSite, RowTime, TimeUnit};

/// What a table or column may be called in a rule: nothing that a statement could read as something else.
const HELP: &str = "names of tables and columns are made of letters, digits and `_`";

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WrittenRecords {
    #[serde(skip_serializing_if = "Option::is_none")]
    pub database: Option<Spanned<OneOrMore>>,
    pub table: Spanned<String>,
    pub time: WrittenTime,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub site: Option<Spanned<WrittenSite>>,
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub only: BTreeMap<String, Vec<i64>>,
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub but: BTreeMap<String, Vec<i64>>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<WrittenAlso>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(untagged)]
pub(crate) enum OneOrMore {
    One(String),
    More(Vec<String>),
}

/// Every text of a list, or the only one, each at the place of the whole.
pub(crate) fn all_of(written: &Spanned<OneOrMore>) -> Vec<Spanned<String>> {
    let texts = match written.get_ref() {
        OneOrMore::One(one) => std::slice::from_ref(one),
        OneOrMore::More(all) => all,
    };
    let at = |text: &String| Spanned::new(written.span(), text.clone());
    texts.iter().map(at).collect()
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WrittenTime {
    pub column: Spanned<OneOrMore>,
    pub epoch: Spanned<String>,
    pub unit: Spanned<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub table: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<Spanned<String>>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(untagged)]
pub(crate) enum WrittenSite {
    Own(String),
    Of {
        table: String,
        column: String,
        by: String,
    },
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WrittenAlso {
    pub table: Spanned<String>,
    pub column: Spanned<String>,
}

/// A database as a rule names it: the folder that it looks in, and what is taken there.
pub(crate) fn divided(database: &Spanned<String>) -> Option<(Spanned<String>, Spanned<String>)> {
    let text = database.get_ref();
    let end = text.find('}')? + 1;
    let (place, below) = (text.get(..end)?, text.get(end..)?.strip_prefix('/')?);
    let part = |text: &str| Spanned::new(database.span(), text.to_owned());
    (!below.is_empty()).then(|| (part(place), part(below)))
}

impl Reader {
    /// Reads what a rule says of rows.
    pub(crate) fn records(&mut self, written: &WrittenRecords) -> Option<Arc<RecordSet>> {
        let before = self.problems.len();
        let columns = all_of(&written.time.column);
        for column in &columns {
            self.identifier(column);
        }
        let known = Epoch::ALL.map(Epoch::name).join(", ");
        let by_name = |name: &str| Epoch::ALL.into_iter().find(|one| one.name() == name);
        let epoch = self.word(&written.time.epoch, "known epoch", by_name, &known);
        let known = TimeUnit::ALL.map(TimeUnit::name).join(", ");
        let by_name = |name: &str| TimeUnit::ALL.into_iter().find(|one| one.name() == name);
        let unit = self.word(&written.time.unit, "known unit of time", by_name, &known);
        let of = match (&written.time.table, &written.time.by) {
            (None, None) => None,
            (Some(table), Some(by)) => Some((self.identifier(table), self.identifier(by))),
            (Some(only), None) | (None, Some(only)) => {
                let message = "a time in another table needs `table` and `by`";
                let help = "`by` is the column there that holds the row's number";
                self.refuse(only.span(), message, "one of the two", help);
                None
            }
        };
        let site = written.site.as_ref().map(|site| {
            let mut name =
                |text: &String| self.identifier(&Spanned::new(site.span(), text.clone()));
            match site.get_ref() {
                WrittenSite::Own(column) => RowSite::Own(name(column)),
                WrittenSite::Of { table, column, by } => RowSite::Of {
                    table: name(table),
                    column: name(column),
                    by: name(by),
                },
            }
        });
        let mut only = Vec::new();
        for (filters, must) in [(&written.only, true), (&written.but, false)] {
            for (column, values) in filters {
                only.push(RowFilter {
                    column: self.identifier(&Spanned::new(written.table.span(), column.clone())),
                    values: values.clone(),
                    must,
                });
            }
        }
        let also = written.also.iter().map(|also| AlsoRows {
            table: self.identifier(&also.table),
            column: self.identifier(&also.column),
        });
        let also = also.collect();
        let table = self.identifier(&written.table);
        let columns = columns.into_iter().map(Spanned::into_inner);
        let (columns, epoch, unit) = (columns.collect(), epoch?, unit?);
        (self.problems.len() == before).then(|| {
            Arc::new(RecordSet {
                table,
                time: Some(RowTime {
                    of,
                    columns,
                    epoch,
                    unit,
                }),
                site,
                only,
                also,
            })
        })
    }

    fn identifier(&mut self, written: &Spanned<String>) -> String {
        let text = written.get_ref();
        let is_plain = |letter: char| letter.is_ascii_alphanumeric() || letter == '_';
        let is_name = !text.is_empty() && text.len() <= 64 && text.chars().all(is_plain);
        if !is_name || text.to_ascii_lowercase().starts_with("sqlite_") {
            let message = format!("\"{text}\" is not a name of a table or column");
            self.refuse(written.span(), message, "this name", HELP);
        }
        text.clone()
    }
}

fn nowhere(text: &str) -> Spanned<String> {
    Spanned::new(0..0, text.to_owned())
}

impl From<&RecordSet> for WrittenRecords {
    fn from(set: &RecordSet) -> Self {
        let filters = |must: bool| {
            let filters = set.only.iter().filter(|filter| filter.must == must);
            filters
                .map(|filter| (filter.column.clone(), filter.values.clone()))
                .collect()
        };
        let time = set.time.as_ref();
        let columns = time.map_or(&[][..], |time| &time.columns);
        let of = time.and_then(|time| time.of.as_ref());
        Self {
            database: None,
            table: nowhere(&set.table),
            time: WrittenTime {
                column: Spanned::new(0..0, OneOrMore::More(columns.to_vec())),
                epoch: nowhere(time.map_or("1970", |time| time.epoch.name())),
                unit: nowhere(time.map_or("s", |time| time.unit.name())),
                table: of.map(|(table, _)| nowhere(table)),
                by: of.map(|(_, by)| nowhere(by)),
            },
            site: set.site.as_ref().map(|site| {
                let site = match site.clone() {
                    RowSite::Own(column) => WrittenSite::Own(column),
                    RowSite::Of { table, column, by } => WrittenSite::Of { table, column, by },
                };
                Spanned::new(0..0, site)
            }),
            only: filters(true),
            but: filters(false),
            also: (set.also.iter())
                .map(|also| WrittenAlso {
                    table: nowhere(&also.table),
                    column: nowhere(&also.column),
                })
                .collect(),
        }
    }
}
