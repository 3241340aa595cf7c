//! Listing rows: time, site, size and fingerprint of each.

use std::collections::{HashMap, HashSet};
use std::io::Write as _;
use std::sync::Arc;

use rusqlite::Connection;
use rusqlite::types::ValueRef;

use crate::format::Site;
use crate::rule::{RecordSet, RowFilter, RowSite, RowTime};
use crate::source::holder::rows::graph::Graph;
use crate::source::holder::rows::schema::{Schema, quoted};
use crate::source::holder::rows::value::{RowHasher, in_order, stored_length};
use crate::source::holder::rows::{MOST_ROWS, Rows, SchemaError};
use crate::source::holder::{HolderError, HolderItem};

/// What an entry of an index holds beside the value, in bytes.
const OF_INDEX: u64 = 8;

/// What is asked of each row for one set.
struct Asked<'a> {
    set: usize,
    /// Positions of the columns that a time stands in.
    times: Vec<usize>,
    time: Option<&'a RowTime>,
    /// What other tables say of the time of rows, by their keys.
    told: HashMap<i64, i64>,
    filters: Vec<(usize, &'a RowFilter)>,
    site: Sites,
}

/// How the site of a row is found.
enum Sites {
    None,
    Own(usize),
    Of(usize, ByNumber),
}

/// Sites by the numbers of rows, which mostly count from 1 without great gaps.
#[derive(Default)]
struct ByNumber {
    dense: Vec<u32>,
    sparse: HashMap<i64, u32>,
}

impl ByNumber {
    /// Numbers up to this many are looked up by position.
    const DENSE: usize = 1 << 24;

    fn insert(&mut self, number: i64, site: u32) {
        match usize::try_from(number) {
            Ok(at) if at < Self::DENSE => {
                if at >= self.dense.len() {
                    self.dense.resize((at + 1).next_power_of_two(), u32::MAX);
                }
                self.dense[at] = site;
            }
            _ => drop(self.sparse.insert(number, site)),
        }
    }

    fn get(&self, number: i64) -> Option<u32> {
        match usize::try_from(number) {
            Ok(at) if at < Self::DENSE => {
                let site = self.dense.get(at).copied();
                site.filter(|site| *site != u32::MAX)
            }
            _ => self.sparse.get(&number).copied(),
        }
    }
}

/// Sites that were found, each once: there are many rows of few.
#[derive(Default)]
struct KnownSites {
    sites: Vec<Site>,
    by_text: HashMap<Vec<u8>, Option<u32>>,
    by_site: HashMap<Site, u32>,
}

impl KnownSites {
    fn of(&mut self, value: ValueRef<'_>) -> Option<u32> {
        let ValueRef::Text(text) = value else {
            return None;
        };
        // The whole address is seldom seen twice; its host is.
        let text = host_part(text);
        if let Some(known) = self.by_text.get(text) {
            return *known;
        }
        let site = std::str::from_utf8(text)
            .ok()
            .and_then(Site::of_host_or_address);
        let number = site.map(|site| {
            *self.by_site.entry(site).or_insert_with_key(|site| {
                self.sites.push(site.clone());
                u32::try_from(self.sites.len() - 1).unwrap_or(u32::MAX)
            })
        });
        self.by_text.insert(text.to_vec(), number);
        number
    }

    fn get(&self, number: u32) -> Option<&Site> {
        self.sites.get(number as usize)
    }
}

/// An address up to the end of its host.
fn host_part(text: &[u8]) -> &[u8] {
    let Some(start) = text.windows(3).position(|three| three == b"://") else {
        return text;
    };
    let rest = text.get(start + 3..).unwrap_or_default();
    let end = rest
        .iter()
        .position(|byte| matches!(byte, b'/' | b'?' | b'#'));
    end.map_or(text, |end| text.get(..start + 3 + end).unwrap_or(text))
}

impl Rows {
    /// Lists the rows of all sets.
    pub(super) fn read_all(&mut self) -> Result<(), HolderError> {
        let mut sites = KnownSites::default();
        for table in self.tables() {
            self.schema.check(&self.graph(&table))?;
            self.read_table(&table, &mut sites)?;
        }
        Ok(())
    }

    fn read_table(&mut self, table: &str, sites: &mut KnownSites) -> Result<(), HolderError> {
        let columns = self.schema.columns(table).to_vec();
        let order = in_order(&columns);
        let sets = self.sets.clone();
        let of_table = sets
            .iter()
            .enumerate()
            .filter(|(_, set)| set.table.eq_ignore_ascii_case(table));
        let mut asked = Vec::new();
        for (at, set) in of_table {
            asked.push(ask(&self.connection, &self.schema, (at, set), sites)?);
        }
        let graph = self.graph(table);
        let staying = staying(&self.connection, &graph)?;
        let beside = bytes_beside(&self.connection, &self.schema, &graph)?;
        let (mut items, mut keys, mut kept) = (Vec::new(), Vec::new(), 0);
        let sql = format!("SELECT rowid, * FROM main.{}", quoted(table));
        let mut statement = self.connection.prepare(&sql)?;
        let mut rows = statement.query([])?;
        let names = order.iter().map(|at| columns[*at].as_str());
        let mut hasher = RowHasher::new(table, names);
        while let Some(row) = rows.next()? {
            let key: i64 = row.get(0)?;
            let value = |at: usize| row.get_ref(at + 1);
            let mut fitting = None;
            for asked in &asked {
                let mut fits = true;
                for (at, filter) in &asked.filters {
                    fits &= passes(filter, value(*at)?);
                }
                if fits {
                    fitting = Some(asked);
                    break;
                }
            }
            let Some(asked) = fitting else { continue };
            if staying.contains(&key) {
                kept += 1;
                continue;
            }
            if self.items.len() + items.len() >= MOST_ROWS {
                return Err(HolderError::TooLarge);
            }
            let reading = RowReading {
                columns: &order,
                value: &value,
                key,
            };
            hasher.begin();
            let size = beside + reading.hash(&mut hasher)?;
            let time = reading.time(asked)?;
            let site = reading.site(asked, sites)?;
            let site = site.and_then(|number| sites.get(number));
            items.push(HolderItem {
                name: name_of(table, key, site),
                time,
                size,
                fingerprint: hasher.finish(),
                document: None,
                set: Some(Arc::clone(&sets[asked.set])),
            });
            keys.push(key);
        }
        drop(rows);
        drop(statement);
        self.items.append(&mut items);
        self.keys.append(&mut keys);
        self.unreadable += kept;
        Ok(())
    }
}

/// A row while it is read.
struct RowReading<'a, 'r> {
    /// Positions of the columns in the order of their names.
    columns: &'a [usize],
    value: &'a dyn Fn(usize) -> rusqlite::Result<ValueRef<'r>>,
    key: i64,
}

impl RowReading<'_, '_> {
    /// Adds all values to a hash; about how many bytes they take.
    fn hash(&self, hasher: &mut RowHasher) -> rusqlite::Result<u64> {
        let mut size = 0;
        for at in self.columns {
            let value = (self.value)(*at)?;
            hasher.add(value);
            size += stored_length(value);
        }
        Ok(size)
    }

    fn number(&self, at: usize) -> rusqlite::Result<Option<i64>> {
        Ok(match (self.value)(at)? {
            ValueRef::Integer(number) => Some(number),
            ValueRef::Null | ValueRef::Real(_) | ValueRef::Text(_) | ValueRef::Blob(_) => None,
        })
    }

    /// The latest time that it says, or that is told of it.
    fn time(&self, asked: &Asked<'_>) -> rusqlite::Result<Option<i64>> {
        let mut time = if asked.told.is_empty() {
            None
        } else {
            asked.told.get(&self.key).copied()
        };
        for at in &asked.times {
            let written = self.number(*at)?;
            let seconds = written.and_then(|written| asked.time?.seconds(written));
            time = time.max(seconds);
        }
        Ok(time)
    }

    /// The number of its site.
    fn site(&self, asked: &Asked<'_>, sites: &mut KnownSites) -> rusqlite::Result<Option<u32>> {
        Ok(match &asked.site {
            Sites::None => None,
            Sites::Own(at) => sites.of((self.value)(*at)?),
            Sites::Of(at, known) => self.number(*at)?.and_then(|id| known.get(id)),
        })
    }
}

/// A row as one part of a path below its database: table, number, and site where it has one.
pub(super) fn name_of(table: &str, key: i64, site: Option<&Site>) -> Vec<u8> {
    let mut name = Vec::with_capacity(table.len() + 40);
    // To write into memory doesn't fail.
    let _written = write!(name, "{table} {key}").is_ok();
    if let Some(site) = site {
        name.push(b' ');
        name.extend_from_slice(site.as_str().as_bytes());
    }
    name
}

fn passes(filter: &RowFilter, value: ValueRef<'_>) -> bool {
    match value {
        ValueRef::Integer(number) => filter.values.contains(&number) == filter.must,
        // What isn't a number is neither.
        ValueRef::Null | ValueRef::Real(_) | ValueRef::Text(_) | ValueRef::Blob(_) => false,
    }
}

fn ask<'a>(
    connection: &Connection,
    schema: &Schema,
    (at, set): (usize, &'a RecordSet),
    sites: &mut KnownSites,
) -> Result<Asked<'a>, HolderError> {
    let columns = schema.columns(&set.table);
    let position = |column: &str| {
        let found = columns
            .iter()
            .position(|one| one.eq_ignore_ascii_case(column));
        found.ok_or_else(|| SchemaError::Strange(set.table.clone()))
    };
    let own_times = set.time.iter().filter(|time| time.of.is_none());
    let times = own_times.flat_map(|time| &time.columns);
    let times = times.map(|column| position(column));
    let filters = set.only.iter();
    let filters = filters.map(|filter| Ok::<_, SchemaError>((position(&filter.column)?, filter)));
    let site = match &set.site {
        None => Sites::None,
        Some(RowSite::Own(column)) => Sites::Own(position(column)?),
        Some(RowSite::Of { table, column, by }) => {
            let by = position(by)?;
            if !schema.has(&format!("{table}.{column}")) || !schema.has(&format!("{table}.id")) {
                return Err(SchemaError::Strange(table.clone()).into());
            }
            let sql = format!("SELECT id, {} FROM main.{}", quoted(column), quoted(table));
            let mut statement = connection.prepare(&sql)?;
            let mut rows = statement.query([])?;
            let mut known = ByNumber::default();
            while let Some(row) = rows.next()? {
                if let (ValueRef::Integer(id), Some(site)) =
                    (row.get_ref(0)?, sites.of(row.get_ref(1)?))
                {
                    known.insert(id, site);
                }
            }
            Sites::Of(by, known)
        }
    };
    Ok(Asked {
        set: at,
        times: times.collect::<Result<_, _>>()?,
        time: set.time.as_ref(),
        told: told(connection, schema, set.time.as_ref())?,
        filters: filters.collect::<Result<_, _>>()?,
        site,
    })
}

/// What another table says of the time of rows.
fn told(
    connection: &Connection,
    schema: &Schema,
    time: Option<&RowTime>,
) -> Result<HashMap<i64, i64>, HolderError> {
    let mut told = HashMap::new();
    let Some((time, (table, by))) = time.and_then(|time| Some((time, time.of.as_ref()?))) else {
        return Ok(told);
    };
    for column in &time.columns {
        let has = |column: &str| schema.has(&format!("{table}.{column}"));
        if !has(column) || !has(by) {
            return Err(SchemaError::Strange(table.clone()).into());
        }
        let (by, column, table) = (quoted(by), quoted(column), quoted(table));
        let mut statement =
            connection.prepare(&format!("SELECT {by}, {column} FROM main.{table}"))?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            if let (ValueRef::Integer(key), ValueRef::Integer(written)) =
                (row.get_ref(0)?, row.get_ref(1)?)
                && let Some(seconds) = time.seconds(written)
            {
                let latest = told.entry(key).or_insert(seconds);
                *latest = seconds.max(*latest);
            }
        }
    }
    Ok(told)
}

/// The rows of a table that stay because something beside them needs them.
fn staying(connection: &Connection, graph: &Graph<'_>) -> rusqlite::Result<HashSet<i64>> {
    let Some(stays) = graph.known.and_then(|known| known.stays) else {
        return Ok(HashSet::new());
    };
    let sql = format!(
        "SELECT rowid FROM main.{} WHERE {stays}",
        quoted(graph.table)
    );
    let mut statement = connection.prepare(&sql)?;
    let keys = statement.query_map([], |row| row.get(0))?;
    keys.collect()
}

/// About what goes with one row of a table beside itself: its share of what belongs to rows of it, and its places in
/// indexes.
fn bytes_beside(
    connection: &Connection,
    schema: &Schema,
    graph: &Graph<'_>,
) -> rusqlite::Result<u64> {
    let count = |table: &str| -> rusqlite::Result<u64> {
        let sql = format!("SELECT count(*) FROM main.{}", quoted(table));
        let many: i64 = connection.query_row(&sql, [], |row| row.get(0))?;
        Ok(many.unsigned_abs())
    };
    let own = count(graph.table)?.max(1);
    let mut bytes = 0;
    for child in graph
        .children
        .iter()
        .filter(|child| schema.has(child.table))
    {
        let columns = schema.columns(child.table).len() as u64;
        bytes += count(child.table)? * columns * 4 / own;
    }
    let sql = format!("PRAGMA main.index_list({})", quoted(graph.table));
    let mut indexes = connection.prepare(&sql)?;
    let mut rows = indexes.query([])?;
    while rows.next()?.is_some() {
        bytes += OF_INDEX + 4;
    }
    Ok(bytes)
}
