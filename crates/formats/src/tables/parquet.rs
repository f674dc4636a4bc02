//! A table as Apache Parquet: every column optional, compressed by Snappy.

use super::{Cell, Holds, TableSpec};
use parquet::{
    basic::{Compression, LogicalType, Repetition, Type as Physical},
    column::writer::ColumnWriter,
    data_type::ByteArray,
    errors::ParquetError,
    file::{properties::WriterProperties, writer::SerializedFileWriter},
    schema::types::{Type, TypePtr},
};
use std::{
    io::{self, Write},
    sync::Arc,
};

/// So many rows are kept until they are written together.
const ROWS: usize = 1 << 17;

/// Rows of a column that are not written yet; those that are empty only in `there`.
enum Column {
    Whole(Vec<i64>),
    Single(Vec<f32>),
    Number(Vec<f64>),
    Flag(Vec<bool>),
    Text(Vec<ByteArray>),
}

/// A file with rows.
pub(super) struct Sheet<W: Write + Send> {
    out: SerializedFileWriter<W>,
    columns: Vec<(Column, Vec<i16>)>,
    rows: usize,
}

fn wrong(error: ParquetError) -> io::Error {
    io::Error::other(error)
}

fn schema(spec: &TableSpec) -> Result<TypePtr, ParquetError> {
    let column = |(name, holds): &(&str, Holds)| {
        let (physical, logical) = match holds {
            Holds::Whole => (Physical::INT64, None),
            Holds::Single => (Physical::FLOAT, None),
            Holds::Number => (Physical::DOUBLE, None),
            Holds::Flag => (Physical::BOOLEAN, None),
            Holds::Text => (Physical::BYTE_ARRAY, Some(LogicalType::String)),
        };
        let column = Type::primitive_type_builder(name, physical)
            .with_repetition(Repetition::OPTIONAL)
            .with_logical_type(logical)
            .build();
        column.map(Arc::new)
    };
    let columns = spec.columns.iter().map(column).collect::<Result<_, _>>()?;
    Ok(Arc::new(Type::group_type_builder(spec.name).with_fields(columns).build()?))
}

impl<W: Write + Send> Sheet<W> {
    pub(super) fn new(spec: &TableSpec, out: W) -> io::Result<Self> {
        let properties = WriterProperties::builder().set_compression(Compression::SNAPPY).build();
        let schema = schema(spec).map_err(wrong)?;
        let out = SerializedFileWriter::new(out, schema, Arc::new(properties)).map_err(wrong)?;
        let column = |(_, holds): &(&str, Holds)| {
            let column = match holds {
                Holds::Whole => Column::Whole(Vec::new()),
                Holds::Single => Column::Single(Vec::new()),
                Holds::Number => Column::Number(Vec::new()),
                Holds::Flag => Column::Flag(Vec::new()),
                Holds::Text => Column::Text(Vec::new()),
            };
            (column, Vec::new())
        };
        Ok(Sheet { out, columns: spec.columns.iter().map(column).collect(), rows: 0 })
    }

    pub(super) fn row(&mut self, cells: &[Cell]) -> io::Result<()> {
        for ((column, there), cell) in self.columns.iter_mut().zip(cells) {
            there.push(i16::from(*cell != Cell::Empty));
            match (column, *cell) {
                (_, Cell::Empty) => {}
                (Column::Whole(all), Cell::Whole(n)) => all.push(n),
                (Column::Single(all), Cell::Single(n)) => all.push(n),
                (Column::Number(all), Cell::Number(n)) => all.push(n),
                (Column::Flag(all), Cell::Flag(is_so)) => all.push(is_so),
                (Column::Text(all), Cell::Text(text)) => all.push(ByteArray::from(text)),
                _ => unreachable!("cells hold what their columns do"),
            }
        }
        self.rows += 1;
        if self.rows == ROWS { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> io::Result<()> {
        let mut group = self.out.next_row_group().map_err(wrong)?;
        for (column, there) in &mut self.columns {
            let Some(mut out) = group.next_column().map_err(wrong)? else { break };
            let there = std::mem::take(there);
            let written = match (column, out.untyped()) {
                (Column::Whole(all), ColumnWriter::Int64ColumnWriter(out)) => {
                    out.write_batch(&std::mem::take(all), Some(&there), None)
                }
                (Column::Single(all), ColumnWriter::FloatColumnWriter(out)) => {
                    out.write_batch(&std::mem::take(all), Some(&there), None)
                }
                (Column::Number(all), ColumnWriter::DoubleColumnWriter(out)) => {
                    out.write_batch(&std::mem::take(all), Some(&there), None)
                }
                (Column::Flag(all), ColumnWriter::BoolColumnWriter(out)) => {
                    out.write_batch(&std::mem::take(all), Some(&there), None)
                }
                (Column::Text(all), ColumnWriter::ByteArrayColumnWriter(out)) => {
                    out.write_batch(&std::mem::take(all), Some(&there), None)
                }
                _ => unreachable!("columns are written as the schema has them"),
            };
            written.map_err(wrong)?;
            out.close().map_err(wrong)?;
        }
        group.close().map_err(wrong)?;
        self.rows = 0;
        Ok(())
    }

    pub(super) fn finish(mut self) -> io::Result<()> {
        if self.rows > 0 {
            self.flush()?;
        }
        self.out.close().map(drop).map_err(wrong)
    }
}
