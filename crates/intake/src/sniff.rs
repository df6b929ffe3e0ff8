//! What a file is, by its content; names and endings are not trusted.

use serde::{Deserialize, Serialize};
use std::fmt;

/// A format that is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Format {
    /// ISO 10303-21.
    Step,
    /// Triangles, text or binary.
    Stl,
    /// Triangles with units in a zip.
    ThreeMf,
    /// Outlines.
    Dxf,
}

impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str(match self {
            Format::Step => "STEP",
            Format::Stl => "STL",
            Format::ThreeMf => "3MF",
            Format::Dxf => "DXF",
        })
    }
}

fn has(hay: &[u8], needle: &[u8]) -> bool {
    hay.windows(needle.len()).any(|w| w == needle)
}

/// Bytes of a binary STL with this many triangles.
pub(crate) const fn stl_bytes(triangles: u64) -> u64 {
    84 + 50 * triangles
}

/// Triangles that a binary STL's header promises.
pub(crate) fn stl_count(bytes: &[u8]) -> Option<u64> {
    let b: [u8; 4] = bytes.get(80..84)?.try_into().ok()?;
    Some(u64::from(u32::from_le_bytes(b)))
}

impl Format {
    /// By content. The error says what the file is instead and what to do.
    pub fn of(bytes: &[u8]) -> Result<Format, &'static str> {
        let head = &bytes[..bytes.len().min(4096)];
        if has(head, b"ISO-10303-21") {
            return Ok(Format::Step);
        }
        if head.starts_with(b"PK\x03\x04") {
            return Ok(Format::ThreeMf);
        }
        // A binary STL may begin with the word "solid" too: its length decides, the word does not.
        if let Some(n) = stl_count(bytes)
            && n > 0
            && stl_bytes(n) <= bytes.len() as u64
            && bytes.len() as u64 <= stl_bytes(n) + 512
        {
            return Ok(Format::Stl);
        }
        let text = head.trim_ascii_start();
        if text.len() >= 5 && text[..5].eq_ignore_ascii_case(b"solid") {
            return Ok(Format::Stl);
        }
        let upper = head.to_ascii_uppercase();
        if has(&upper, b"SECTION") && has(&upper, b"HEADER") || has(&upper, b"SECTION") && has(&upper, b"ENTITIES") {
            return Ok(Format::Dxf);
        }
        if has(&upper, b"BINARY DXF") {
            return Ok(Format::Dxf);
        }
        if head.starts_with(b"%PDF") {
            return Err("this is a PDF, a picture of a drawing; ask for the model as STEP, or the outline as DXF");
        }
        if let Some(n) = stl_count(bytes)
            && (1..=50_000_000).contains(&n)
            && stl_bytes(n) > bytes.len() as u64
            && !head.iter().take(80).any(|b| (1..9).contains(b))
            && bytes.len() > 134
        {
            return Err("this looks like a binary STL file whose end is missing; copy or export it again");
        }
        Err(
            "this is no file that can be read here; export the part as STEP (AP203, AP214 or AP242), or give an STL, a 3MF or a DXF outline",
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn content_decides() {
        assert_eq!(Format::of(b"ISO-10303-21;\nHEADER;"), Ok(Format::Step));
        assert_eq!(Format::of(b"  solid box\n facet normal 0 0 1"), Ok(Format::Stl));
        assert_eq!(Format::of(b"0\r\nSECTION\r\n2\r\nHEADER\r\n"), Ok(Format::Dxf));
        let mut trap = b"solid but binary".to_vec();
        trap.resize(80, b' ');
        trap.extend(1u32.to_le_bytes());
        trap.resize(134, 0);
        assert_eq!(Format::of(&trap), Ok(Format::Stl));
        assert!(Format::of(b"%PDF-1.7").unwrap_err().contains("STEP"));
        assert!(Format::of(b"hello").unwrap_err().contains("STEP"));
    }
}
