//! 3MF: meshes with a unit, transforms and components, as XML in a zip (3MF core specification 1.3, from memory).
//!
//! Untrusted zip and XML: sizes are counted while unpacking, no document type (so no entity) is taken, components are followed to a limited
//! depth and number.

use crate::MOST_TRIANGLES;
use crate::fit::Soup;
use geom::{DMat3, DVec3};
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::collections::HashMap;
use std::io::{Cursor, Read};

/// Largest model document after unpacking, bytes.
const MOST_BYTES: u64 = 200 << 20;
/// Components within components.
const MOST_DEPTH: usize = 16;

/// A build item.
pub struct Object {
    /// As named in the file.
    pub name: String,
    /// Triangles in mm.
    pub soup: Soup,
}

/// What was read.
pub struct Read3mf {
    /// Build items in order.
    pub objects: Vec<Object>,
    /// The file's unit.
    pub unit: String,
}

#[derive(Clone, Copy)]
struct Transform {
    turn: DMat3,
    shift: DVec3,
}

const SAME: Transform = Transform { turn: DMat3::IDENTITY, shift: DVec3::ZERO };

impl Transform {
    fn point(&self, p: DVec3) -> DVec3 {
        self.turn * p + self.shift
    }
    fn after(&self, first: &Transform) -> Transform {
        Transform { turn: self.turn * first.turn, shift: self.point(first.shift) }
    }
}

#[derive(Default)]
struct Definition {
    name: String,
    points: Vec<DVec3>,
    triangles: Vec<[u32; 3]>,
    components: Vec<(u32, Transform)>,
}

fn bad(what: &str) -> String {
    format!("the 3MF file cannot be read: {what}; export it again, or give a STEP file")
}

fn unpack(archive: &mut zip::ZipArchive<Cursor<&[u8]>>, name: &str) -> Result<Option<Vec<u8>>, String> {
    let name = name.trim_start_matches('/');
    let Ok(file) = archive.by_name(name) else { return Ok(None) };
    let mut out = Vec::new();
    // The header's size is not trusted: what comes out is counted.
    file.take(MOST_BYTES + 1).read_to_end(&mut out).map_err(|e| bad(&format!("{name} does not unpack ({e})")))?;
    if out.len() as u64 > MOST_BYTES {
        return Err(bad(&format!("{name} unpacks to more than {} MB", MOST_BYTES >> 20)));
    }
    Ok(Some(out))
}

fn attribute(e: &BytesStart, name: &str) -> Option<String> {
    e.attributes().flatten().find(|a| a.key.local_name().as_ref() == name).map(|a| a.value.into_owned())
}

fn number<T: std::str::FromStr>(e: &BytesStart, name: &str) -> Result<T, String> {
    attribute(e, name).and_then(|v| v.trim().parse().ok()).ok_or_else(|| bad(&format!("a number '{name}' is missing")))
}

fn transform(e: &BytesStart) -> Result<Transform, String> {
    let Some(text) = attribute(e, "transform") else { return Ok(SAME) };
    let v: Vec<f64> = text.split_ascii_whitespace().filter_map(|w| w.parse().ok()).collect();
    if v.len() != 12 || v.iter().any(|x| !x.is_finite()) {
        return Err(bad("a transform has not 12 numbers"));
    }
    // Row vectors: p' = p · M.
    let turn = DMat3::from_cols_array(&[v[0], v[1], v[2], v[3], v[4], v[5], v[6], v[7], v[8]]);
    if turn.determinant().abs() < 1e-12 {
        return Err(bad("a transform flattens its object"));
    }
    Ok(Transform { turn, shift: DVec3::new(v[9], v[10], v[11]) })
}

/// Read.
pub fn read(bytes: &[u8]) -> Result<Read3mf, String> {
    let mut archive =
        zip::ZipArchive::new(Cursor::new(bytes)).map_err(|e| bad(&format!("it is a zip that does not open ({e})")))?;
    if archive.len() > 10_000 {
        return Err(bad("it holds more than 10 000 files"));
    }
    let start = match unpack(&mut archive, "_rels/.rels")? {
        Some(rels) => start_part(&rels)?,
        None => None,
    };
    let start = start.unwrap_or_else(|| "3D/3dmodel.model".into());
    let model = unpack(&mut archive, &start)?.ok_or_else(|| bad("it is a zip without a 3D model"))?;
    parse(&model)
}

fn start_part(rels: &[u8]) -> Result<Option<String>, String> {
    let text = String::from_utf8_lossy(rels);
    let mut xml = Reader::from_str(&text);
    loop {
        match xml.read_event().map_err(|e| bad(&e.to_string()))? {
            Event::Eof => return Ok(None),
            Event::DocType(_) => return Err(bad("it declares a document type, which is not taken")),
            Event::Start(e) | Event::Empty(e)
                if e.local_name().as_ref() == "Relationship"
                    && attribute(&e, "Type").is_some_and(|t| t.ends_with("/3dmodel")) =>
            {
                return Ok(attribute(&e, "Target"));
            }
            _ => {}
        }
    }
}

fn factor(unit: &str) -> Option<f64> {
    Some(match unit {
        "micron" => 0.001,
        "millimeter" => 1.0,
        "centimeter" => 10.0,
        "inch" => 25.4,
        "foot" => 304.8,
        "meter" => 1000.0,
        _ => return None,
    })
}

fn parse(model: &[u8]) -> Result<Read3mf, String> {
    let text = String::from_utf8_lossy(model);
    let mut xml = Reader::from_str(&text);
    let mut unit = "millimeter".to_string();
    let mut defs: HashMap<u32, Definition> = HashMap::new();
    let mut items: Vec<(u32, Transform)> = Vec::new();
    let mut open: Option<u32> = None;
    let mut triangles = 0;
    loop {
        let event = xml.read_event().map_err(|e| bad(&format!("its XML is faulty ({e})")))?;
        let (e, empty) = match event {
            Event::Eof => break,
            Event::DocType(_) => return Err(bad("it declares a document type, which is not taken")),
            Event::End(e) if e.local_name().as_ref() == "object" => {
                open = None;
                continue;
            }
            Event::Start(e) => (e, false),
            Event::Empty(e) => (e, true),
            _ => continue,
        };
        match e.local_name().as_ref() {
            "model" => unit = attribute(&e, "unit").unwrap_or(unit),
            "object" => {
                let id = number(&e, "id")?;
                let name = attribute(&e, "name").unwrap_or_default();
                defs.insert(id, Definition { name, ..Default::default() });
                open = (!empty).then_some(id);
            }
            "vertex" => {
                let p = DVec3::new(number(&e, "x")?, number(&e, "y")?, number(&e, "z")?);
                if !p.is_finite() {
                    return Err(bad("a vertex is no place"));
                }
                if let Some(d) = open.and_then(|id| defs.get_mut(&id)) {
                    d.points.push(p);
                }
            }
            "triangle" => {
                triangles += 1;
                if triangles > MOST_TRIANGLES {
                    return Err(bad(&format!("it has more than {MOST_TRIANGLES} triangles")));
                }
                let t = [number(&e, "v1")?, number(&e, "v2")?, number(&e, "v3")?];
                if let Some(d) = open.and_then(|id| defs.get_mut(&id)) {
                    d.triangles.push(t);
                }
            }
            "component" => {
                if attribute(&e, "path").is_some() {
                    return Err(bad("it refers to models in other files"));
                }
                let c = (number(&e, "objectid")?, transform(&e)?);
                if let Some(d) = open.and_then(|id| defs.get_mut(&id)) {
                    d.components.push(c);
                }
            }
            "item" => items.push((number(&e, "objectid")?, transform(&e)?)),
            _ => {}
        }
    }
    let scale = factor(&unit)
        .ok_or_else(|| bad(&format!("its unit '{}' is none", unit.chars().take(20).collect::<String>())))?;
    if items.is_empty() {
        // Without a build every object that no other one uses stands for itself.
        let used: Vec<u32> = defs.values().flat_map(|d| d.components.iter().map(|c| c.0)).collect();
        items = defs.keys().filter(|k| !used.contains(k)).map(|&k| (k, SAME)).collect();
        items.sort_by_key(|i| i.0);
    }
    let mut objects = Vec::new();
    let mut budget = MOST_TRIANGLES;
    for (id, t) in items {
        let mut soup = Vec::new();
        gather(&defs, id, &t, 0, &mut soup, &mut budget)?;
        if !soup.is_empty() {
            for c in soup.iter_mut().flatten().flatten() {
                *c *= scale;
            }
            objects.push(Object { name: defs.get(&id).map_or_else(String::new, |d| d.name.clone()), soup });
        }
    }
    if objects.is_empty() {
        return Err(bad("it holds no mesh"));
    }
    Ok(Read3mf { objects, unit })
}

fn gather(
    defs: &HashMap<u32, Definition>,
    id: u32,
    t: &Transform,
    depth: usize,
    out: &mut Soup,
    budget: &mut usize,
) -> Result<(), String> {
    if depth > MOST_DEPTH {
        return Err(bad("its components contain one another"));
    }
    // Empty objects cost too: a tree of components can have more branches than anybody could follow.
    *budget = budget.checked_sub(1).ok_or_else(|| bad("its components repeat too often"))?;
    let d = defs.get(&id).ok_or_else(|| bad(&format!("object {id} is missing")))?;
    // A mirror turns triangles inside out.
    let mirrored = t.turn.determinant() < 0.0;
    for tri in &d.triangles {
        let mut c = [[0.0; 3]; 3];
        for (k, i) in tri.iter().enumerate() {
            let p = d.points.get(*i as usize).ok_or_else(|| bad("a triangle has a corner that does not exist"))?;
            c[k] = t.point(*p).to_array();
        }
        if mirrored {
            c.swap(1, 2);
        }
        *budget = budget.checked_sub(1).ok_or_else(|| bad("its components repeat into too many triangles"))?;
        out.push(c);
    }
    for (child, ct) in &d.components {
        gather(defs, *child, &t.after(ct), depth + 1, out, budget)?;
    }
    Ok(())
}
