//! Files from outside become a model: STEP by the kernel, STL and 3MF with faces fitted to their facets, DXF outlines as plates.
//!
//! Problem: a file is untrusted and often says less than is needed. So it is read in a guarded child process ([`read_guarded`]), every
//! refusal is one sentence that says what to do, and what the file leaves open (unit, which solid, how thick a drawn plate is) is an answer
//! in [`Reading`] that a person gives later; until then there is a proposal.
//!
//! Lengths are mm.

mod canonical;
mod carve;
mod drawing;
mod finer;
mod fit;
mod guard;
mod out;
mod sandbox;
mod sniff;
mod stl;
mod threemf;

pub use carve::{Carved, Hollow, carve};
pub use drawing::{Drawing, DrawingAnswers, Layer, LayerUse, Segment};
pub use guard::{Limits, ReadError, keep_ready, probe, read_guarded, read_trusted, reader_main};
pub use out::{Export, Layer3, export_guarded, write_dxf, write_outlines};
pub use sandbox::Probe;
pub use sniff::Format;
pub use stl::write as write_stl;

pub use kernel::Meshing;
use kernel::RawModel;
use serde::{Deserialize, Serialize};
use std::path::Path;
use ts_rs::TS;

/// Most triangles of a mesh that are taken.
const MOST_TRIANGLES: usize = 2_000_000;
/// Faces of a part: naming what they make goes with the square of their number.
const MOST_FACES: usize = 12_000;

/// What a person answered about the reading of a file; everything else is proposed.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Reading {
    /// What the file's numbers are in; none: as the file says, or the proposal.
    pub unit: Option<LengthUnit>,
    /// Which solid is the part.
    pub solid: Option<u32>,
    /// Of surfaces that do not close: is what closes them right?
    pub closed: Option<bool>,
    /// Other solids of the file that stand where they are drawn while the part is machined.
    #[serde(default)]
    pub stays: Vec<u32>,
    /// What a drawing leaves open.
    pub drawing: DrawingAnswers,
}

/// A unit of length.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum LengthUnit {
    /// Millimetre.
    Mm,
    /// Centimetre.
    Cm,
    /// Metre.
    M,
    /// Inch.
    Inch,
    /// Foot.
    Foot,
}

impl LengthUnit {
    /// All.
    pub const ALL: [LengthUnit; 5] =
        [LengthUnit::Mm, LengthUnit::Inch, LengthUnit::Cm, LengthUnit::M, LengthUnit::Foot];
    /// Its length, mm (inch: exactly 25.4 by definition).
    pub fn mm(self) -> f64 {
        match self {
            LengthUnit::Mm => 1.0,
            LengthUnit::Cm => 10.0,
            LengthUnit::M => 1000.0,
            LengthUnit::Inch => 25.4,
            LengthUnit::Foot => 304.8,
        }
    }
    /// "inch".
    pub fn word(self) -> &'static str {
        match self {
            LengthUnit::Mm => "mm",
            LengthUnit::Cm => "cm",
            LengthUnit::M => "m",
            LengthUnit::Inch => "inch",
            LengthUnit::Foot => "foot",
        }
    }
    /// From a word of a person or of a file ("millimetre", "INCH").
    pub fn of(word: &str) -> Option<LengthUnit> {
        let w = word.trim().trim_matches('\'').to_lowercase();
        Some(match w.as_str() {
            "mm" | "millimetre" | "millimeter" | "millimetres" | "millimeters" => LengthUnit::Mm,
            "cm" | "centimetre" | "centimeter" => LengthUnit::Cm,
            "m" | "metre" | "meter" => LengthUnit::M,
            "inch" | "in" | "inches" => LengthUnit::Inch,
            "foot" | "ft" | "feet" => LengthUnit::Foot,
            _ => return None,
        })
    }
}

/// A file as read.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Model {
    /// Geometry.
    pub raw: RawModel,
    /// Of a DXF: what was drawn. The geometry is scaled already.
    pub drawing: Option<Drawing>,
}

/// Does a STEP file name other files that hold its geometry?
fn elsewhere(bytes: &[u8]) -> bool {
    [&b"DOCUMENT_FILE("[..], b"EXTERNAL_SOURCE("].iter().any(|w| bytes.windows(w.len()).any(|x| x == *w))
}

/// Read in this very process. A damaged STEP file can end it: only the guarded child does this. The error is a whole sentence.
pub fn read_here(file: &Path, reading: &Reading, meshing: &Meshing) -> Result<Model, String> {
    let bytes = std::fs::read(file).map_err(|e| format!("the file cannot be opened ({e}); copy it again"))?;
    read_bytes(&bytes, reading, meshing)
}

/// The same from the file's bytes: no file is opened.
pub fn read_bytes(bytes: &[u8], reading: &Reading, meshing: &Meshing) -> Result<Model, String> {
    let raw = match Format::of(bytes)? {
        Format::Step => {
            let mut raw = kernel::read_step_bytes(bytes, meshing).map_err(|why| {
                if elsewhere(bytes) {
                    return "the STEP file is an assembly whose parts lie in files of their own; open the file of the one part that is to be made"
                        .to_string();
                }
                format!("the STEP file could not be read: {why}; open it where it was made and export it again")
            })?;
            canonical::recognise(&mut raw);
            finer::measured(&mut raw, meshing.chord_mm);
            raw
        }
        Format::Stl => {
            let (triangles, format) = stl::read(bytes)?;
            fit::model(&[("", triangles)], format, Vec::new())?
        }
        Format::ThreeMf => {
            let read = threemf::read(bytes)?;
            let parts: Vec<(&str, fit::Soup)> =
                read.objects.iter().map(|o| (o.name.as_str(), o.soup.clone())).collect();
            fit::model(&parts, "3MF", vec![read.unit])?
        }
        Format::Dxf => {
            let (raw, drawing) = drawing::read(bytes, reading, meshing)?;
            return Ok(Model { raw, drawing: Some(drawing) });
        }
    };
    Ok(Model { raw, drawing: None })
}
