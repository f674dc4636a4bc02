//! Report descriptors: which bits of a report are which field.
//!
//! The `hidreport` crate splits a descriptor into items. What they come to is worked
//! out here (*Device Class Definition for HID 1.11*, sections 5 and 6.2.2), bounded and
//! as the kernel does it: what a descriptor leaves out is 0, and fields without a usage
//! are padding. A descriptor may say anything; it never makes this end or take more
//! than the limits below.

use hidreport::{
    ParserError,
    hid::{GlobalItem, Item, ItemType, LocalItem, MainDataItem, MainItem, ReportDescriptorItems},
};
use std::ops::Range;

/// A descriptor is no longer than this, as in the kernel.
pub(crate) const MAX_DESCRIPTOR: usize = 4096;
/// All reports of a descriptor have no more fields than this.
pub(crate) const MAX_FIELDS: usize = 4096;
/// A report has no more bits than this.
const MAX_REPORT_BITS: u64 = 16_384 * 8;
/// An item has no more usages than this, as in the kernel.
const MAX_USAGES: usize = 12_288;
/// So deep are states kept, and collections nested.
const MAX_DEPTH: usize = 64;

/// A usage: its page and its number, which say what a control is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct UsageId {
    pub(crate) page: u16,
    pub(crate) id: u16,
}

/// What a field is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum FieldKind {
    /// The value of one control.
    Variable { usage: UsageId, is_relative: bool },
    /// A list of what is on: numbers of `width` bits, each of which names one of the usages,
    /// counted from `logical.0` on.
    List { usages: Vec<UsageId>, width: u32 },
    /// Nothing.
    Padding,
}

/// Some bits of a report. `bits` counts from the first bit of the report, its number
/// included; a value has 1 to 32 of them.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Field {
    pub(crate) bits: Range<u32>,
    pub(crate) kind: FieldKind,
    /// The smallest and the largest value that means something.
    pub(crate) logical: (i32, i32),
    /// The same in the unit of the field, where that is said.
    pub(crate) physical: Option<Physical>,
    /// The purpose of the outermost collection: a game pad, a keyboard.
    pub(crate) application: Option<UsageId>,
}

/// The range of a field in the world.
#[derive(Clone, Debug, PartialEq)]
pub struct Physical {
    /// At the smallest logical value.
    pub min: f64,
    /// At the largest.
    pub max: f64,
    /// `cm`, `rad`, `in` or `deg`; the number of any other unit in hexadecimal digits;
    /// empty where there is none.
    pub unit: String,
}

/// An input report.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct ReportFields {
    /// Its number; 0 of a device whose reports have none.
    pub(crate) id: u8,
    /// How long it is, its number included.
    pub(crate) bits: u32,
    pub(crate) fields: Vec<Field>,
}

impl ReportFields {
    pub(crate) fn bytes(&self) -> usize {
        self.bits.div_ceil(8) as usize
    }
}

/// What a device says its input reports are.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Descriptor {
    /// In the order in which they are first spoken of.
    pub(crate) reports: Vec<ReportFields>,
    /// Whether reports begin with their number.
    pub(crate) is_numbered: bool,
}

/// Why a descriptor cannot be read.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum DescriptorFault {
    /// It is empty, or longer than any descriptor.
    #[error("a report descriptor has 1 to {MAX_DESCRIPTOR} bytes, and this one {0}")]
    Length(usize),
    /// Its bytes are no items.
    #[error("its bytes are no items of a report descriptor: {0}")]
    Items(#[from] ParserError),
    /// An item speaks of something that is not there.
    #[error("at byte {offset}: {what}")]
    Item {
        /// Where the item begins.
        offset: usize,
        /// What is wrong with it.
        what: &'static str,
    },
}

/// What holds until it is said otherwise.
#[derive(Clone, Copy, Debug, Default)]
struct Globals {
    page: u16,
    logical: (i32, i64),
    physical: (i32, i64),
    unit: u32,
    exponent: i32,
    size: usize,
    count: usize,
    id: u8,
}

impl Globals {
    fn physical(&self) -> Option<Physical> {
        let (least, most) = (f64::from(self.physical.0), self.physical.1 as f64);
        let scale = 10f64.powi(self.exponent);
        let unit = match self.unit {
            0 => String::new(),
            0x11 => "cm".to_owned(),
            0x12 => "rad".to_owned(),
            0x13 => "in".to_owned(),
            0x14 => "deg".to_owned(),
            other => format!("0x{other:x}"),
        };
        (least < most).then_some(Physical { min: least * scale, max: most * scale, unit })
    }
}

/// What holds for the next main item.
#[derive(Clone, Debug, Default)]
struct Locals {
    usages: Vec<LocalUsage>,
    minimum: Option<u32>,
    /// While usages are alternatives for one control: how many of them there were.
    alternatives: Option<usize>,
}

/// A usage as an item says it: without a page of its own it is of the last one that is said
/// before the main item.
#[derive(Clone, Copy, Debug)]
struct LocalUsage {
    page: Option<u16>,
    id: u16,
}

impl LocalUsage {
    /// A usage of four bytes brings its page along.
    const fn new(usage: u32) -> Self {
        let page = match (usage >> 16) as u16 {
            0 => None,
            page => Some(page),
        };
        LocalUsage { page, id: usage as u16 }
    }

    fn on(self, page: u16) -> UsageId {
        UsageId { page: self.page.unwrap_or(page), id: self.id }
    }
}

impl Locals {
    /// Takes in usages, of alternatives the first alone.
    fn add(&mut self, usages: impl Iterator<Item = u32>) {
        for usage in usages {
            let is_first = self.alternatives.is_none_or(|before| before == 0);
            if is_first {
                self.usages.push(LocalUsage::new(usage));
            }
            self.alternatives = self.alternatives.map(|before| before + 1);
        }
    }
}

/// Reads a descriptor.
///
/// # Errors
/// When the bytes are not a descriptor, or ask for more than the limits.
pub(crate) fn parse(bytes: &[u8]) -> Result<Descriptor, DescriptorFault> {
    if bytes.is_empty() || bytes.len() > MAX_DESCRIPTOR {
        return Err(DescriptorFault::Length(bytes.len()));
    }
    let items = ReportDescriptorItems::try_from(bytes)?;
    let mut reader = Reader::default();
    for item in items.iter() {
        let (offset, item) = (item.offset(), item.item());
        reader.item(item).map_err(|what| DescriptorFault::Item { offset, what })?;
    }
    Ok(reader.descriptor)
}

/// A descriptor as far as it was read.
#[derive(Debug, Default)]
struct Reader {
    descriptor: Descriptor,
    globals: Globals,
    kept: Vec<Globals>,
    locals: Locals,
    /// The application of each open collection.
    collections: Vec<Option<UsageId>>,
    fields: usize,
}

type Told = Result<(), &'static str>;

impl Reader {
    fn item(&mut self, item: &impl Item) -> Told {
        const LONG: u8 = 0xfe;
        if item.header() == LONG {
            return Err("a long item, which no device uses");
        }
        match item.item_type() {
            ItemType::Main(main) => {
                let told = self.main(main);
                self.locals = Locals::default();
                told
            }
            ItemType::Global(global) => self.global(global, item),
            ItemType::Local(local) => self.local(local),
            ItemType::Long | ItemType::Reserved => Ok(()),
        }
    }

    fn main(&mut self, main: MainItem) -> Told {
        match main {
            MainItem::Input(input) if input.is_constant() => self.input(Sort::Padding),
            MainItem::Input(input) if input.is_variable() => {
                self.input(Sort::Variable { is_relative: input.is_relative() })
            }
            MainItem::Input(_) => self.input(Sort::List),
            MainItem::Collection(_) => {
                let outer = self.collections.last().copied().flatten();
                let own = self.locals.usages.first().map(|usage| usage.on(self.globals.page));
                let application = outer.or(own);
                self.collections.push(application);
                within(self.collections.len() <= MAX_DEPTH, "collections nested too deeply")
            }
            MainItem::EndCollection => {
                within(self.collections.pop().is_some(), "the end of a collection that never began")
            }
            // What is written to a device is not read here.
            MainItem::Output(_) | MainItem::Feature(_) => Ok(()),
        }
    }

    fn global(&mut self, global: GlobalItem, item: &impl Item) -> Told {
        let globals = &mut self.globals;
        let signed = || item.data().map_or(0, |data| signed(&data));
        let unsigned = || item.data().map_or(0, |data| unsigned(&data));
        match global {
            GlobalItem::UsagePage(page) => globals.page = page.into(),
            GlobalItem::LogicalMinimum(_) => globals.logical.0 = signed(),
            // Whether the largest value has a sign is told by the smallest.
            GlobalItem::LogicalMaximum(_) => {
                let is_signed = globals.logical.0 < 0;
                globals.logical.1 = if is_signed { signed().into() } else { unsigned() };
            }
            GlobalItem::PhysicalMinimum(_) => globals.physical.0 = signed(),
            GlobalItem::PhysicalMaximum(_) => {
                let is_signed = globals.physical.0 < 0;
                globals.physical.1 = if is_signed { signed().into() } else { unsigned() };
            }
            GlobalItem::ReportSize(_) => globals.size = unsigned() as usize,
            GlobalItem::ReportCount(_) => globals.count = unsigned() as usize,
            GlobalItem::ReportId(_) => {
                globals.id = u8::try_from(unsigned()).unwrap_or(0);
                self.descriptor.is_numbered = true;
                return within(globals.id != 0, "a report of a number that is not 1 to 255");
            }
            GlobalItem::Push => {
                self.kept.push(*globals);
                return within(self.kept.len() <= MAX_DEPTH, "too much is kept");
            }
            GlobalItem::Pop => {
                self.globals = self.kept.pop().ok_or("nothing was kept that could come back")?;
            }
            GlobalItem::Unit(_) => globals.unit = unsigned() as u32,
            // Four bits with a sign.
            GlobalItem::UnitExponent(_) => {
                let nibble = (unsigned() & 0xf) as i32;
                globals.exponent = if nibble > 7 { nibble - 16 } else { nibble };
            }
            GlobalItem::Reserved => {}
        }
        Ok(())
    }

    fn local(&mut self, local: LocalItem) -> Told {
        let locals = &mut self.locals;
        match local {
            LocalItem::Usage(page, id) => {
                let (page, id): (u16, u16) = (page.into(), id.into());
                locals.add(std::iter::once(u32::from(page) << 16 | u32::from(id)));
            }
            LocalItem::UsageId(id) => locals.add(std::iter::once(u16::from(id).into())),
            LocalItem::UsageMinimum(least) => locals.minimum = Some(least.into()),
            LocalItem::UsageMaximum(most) => {
                let least = locals.minimum.take().unwrap_or(0);
                let most: u32 = most.into();
                let count = u64::from(most).saturating_sub(least.into()) + 1;
                within(count <= MAX_USAGES as u64, "a range of too many usages")?;
                locals.add(least..=most);
            }
            LocalItem::Delimiter(opens) => {
                locals.alternatives = (u32::from(opens) == 1).then_some(0);
            }
            _ => {}
        }
        within(locals.usages.len() <= MAX_USAGES, "too many usages")
    }

    /// The fields of an input item.
    fn input(&mut self, sort: Sort) -> Told {
        let Globals { size, count, id, .. } = self.globals;
        let length = (size as u64).saturating_mul(count as u64);
        let report = self.report(id);
        within(u64::from(report.bits) + length <= MAX_REPORT_BITS, "a report of too many bits")?;
        let begins = report.bits;
        report.bits += length as u32;
        if length == 0 {
            return Ok(());
        }
        // Nobody can say what more than 32 bits at once are.
        let is_padding =
            matches!(sort, Sort::Padding) || size > 32 || self.locals.usages.is_empty();
        if is_padding {
            return self.field(begins..begins + length as u32, FieldKind::Padding);
        }
        within(count <= MAX_FIELDS, "too many fields")?;
        let usages = self.locals.usages.iter().map(|usage| usage.on(self.globals.page));
        let Sort::Variable { is_relative } = sort else {
            // A number beyond the logical range names nothing.
            let (least, most) = range(self.globals.logical, size);
            let usages = usages.take((i64::from(most) - i64::from(least)) as usize + 1).collect();
            let kind = FieldKind::List { usages, width: size as u32 };
            return self.field(begins..begins + length as u32, kind);
        };
        let usages: Vec<UsageId> = usages.collect();
        for n in 0..count {
            let from = begins + (n * size) as u32;
            // The last usage stands for all that follow.
            let usage = usages.get(n).or(usages.last()).copied().ok_or("no usage")?;
            self.field(from..from + size as u32, FieldKind::Variable { usage, is_relative })?;
        }
        Ok(())
    }

    fn field(&mut self, bits: Range<u32>, kind: FieldKind) -> Told {
        let (count, width) = match &kind {
            FieldKind::List { usages, width } => (usages.len(), *width as usize),
            FieldKind::Variable { .. } | FieldKind::Padding => (1, bits.len()),
        };
        self.fields += count;
        within(self.fields <= MAX_FIELDS, "too many fields")?;
        let logical = range(self.globals.logical, width);
        let physical = self.globals.physical();
        let application = self.collections.last().copied().flatten();
        let id = self.globals.id;
        self.report(id).fields.push(Field { bits, kind, logical, physical, application });
        Ok(())
    }

    /// The report of a number; a new one begins with its number, if it has one.
    fn report(&mut self, id: u8) -> &mut ReportFields {
        let reports = &mut self.descriptor.reports;
        let at = reports.iter().position(|report| report.id == id).unwrap_or_else(|| {
            let bits = if id == 0 { 0 } else { 8 };
            reports.push(ReportFields { id, bits, fields: Vec::new() });
            reports.len() - 1
        });
        &mut reports[at]
    }
}

#[derive(Clone, Copy)]
enum Sort {
    Variable { is_relative: bool },
    List,
    Padding,
}

const fn within(is_fine: bool, what: &'static str) -> Told {
    if is_fine { Ok(()) } else { Err(what) }
}

/// A range; where its ends are the wrong way round, all that so many bits can say.
fn range((least, most): (i32, i64), bits: usize) -> (i32, i32) {
    let most = i32::try_from(most).unwrap_or(i32::MAX);
    if least < most {
        return (least, most);
    }
    let most = (1i64 << bits.min(31)) - 1;
    (0, most as i32)
}

fn unsigned(data: &[u8]) -> i64 {
    data.iter().rev().fold(0, |sum, byte| sum << 8 | i64::from(*byte))
}

fn signed(data: &[u8]) -> i32 {
    let bits = 8 * data.len() as u32;
    let value = unsigned(data);
    let is_negative = bits > 0 && value >> (bits - 1) & 1 == 1;
    (if is_negative { value - (1i64 << bits) } else { value }) as i32
}

#[cfg(test)]
mod tests;
