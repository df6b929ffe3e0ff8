//! The demo: an invented shop that makes one-off parts for an observatory, with its people and its jobs.

use crate::db::schema::{jobs, shop_revisions, shops};
use crate::db::{Conn, Db, last_id, now};
use crate::fault::Fault;
use crate::look::read_model;
use crate::people::Me;
use crate::{decide, jobs as job_rows, people};
use diesel::prelude::*;
use job::cache::hex;
use sha2::{Digest, Sha256};
use shop::Shop;
use std::path::{Path, PathBuf};

/// The demo's people and the password of both. It is refused as soon as the server is open to a network.
pub const PEOPLE: [(&str, bool); 2] = [("ida", true), ("bruno", false)];
/// See [`PEOPLE`].
pub const PASSWORD: &str = "dome-and-slit";
/// What some of the parts are cut from; the others are left to the proposal.
const MATERIALS: [(&str, &str); 4] = [
    ("eyepiece-adapter", "brass"),
    ("focus-knob", "acetal"),
    ("hex-standoff", "brass"),
    ("worm-shaft", "stainless-304"),
];
/// Answers that stand in the demo: of which part, to what, and the answer. The rail's pockets for nuts are sharper than any cutter: their corners are filed. The cord
/// post takes a screw M8.
pub const ANSWERS: [(&str, &str, &str); 4] = [
    ("cord-post", "hole/6.80/20.00/blind", "tap M8"),
    ("dovetail-rail", "hand/corner:pocket@20.0_7.0_20.0/8x7", "yes"),
    ("dovetail-rail", "hand/corner:pocket@60.0_7.0_20.0/8x7", "yes"),
    ("dovetail-rail", "hand/corner:pocket@100.0_7.0_20.0/8x7", "yes"),
];
/// Blocks that stand in the demo, along the part's x, y and z, mm: a flat that leaves nothing to hold below.
const BLOCKS: [(&str, [f64; 3]); 1] = [("counterweight-bar", [100.0, 36.0, 22.0])];
/// Whole ways that are chosen in the demo: an outline that flat jaws do not hold, and holes for dowels.
const WAYS: [(&str, &str); 1] = [("guider-plate", "inside.plate.+z.x")];
const SHOP: &str = "Hill observatory workshop";

/// Make a shop with its data.
pub fn make_shop(c: &mut Conn, name: &str, data: &Shop) -> Result<i64, Fault> {
    diesel::insert_into(shops::table).values(shops::name.eq(name)).execute(c)?;
    let id = last_id(c)?;
    let json = serde_json::to_string(data).map_err(|e| Fault::internal(e.to_string()))?;
    diesel::insert_into(shop_revisions::table)
        .values((
            shop_revisions::shop_id.eq(id),
            shop_revisions::sha.eq(hex(&Sha256::digest(json.as_bytes()))),
            shop_revisions::data.eq(&json),
            shop_revisions::made_at.eq(now()),
        ))
        .execute(c)?;
    let revision = last_id(c)?;
    diesel::update(shops::table.find(id)).set(shops::revision_id.eq(revision)).execute(c)?;
    Ok(id)
}

/// Load the demo where nothing is, or what is missing of it: the shop with its rack (a table), people and jobs. Returns how many jobs were made.
pub fn load(db: &Db, rack: &Path, folders: &[&Path], reader: &Path) -> Result<usize, Fault> {
    let data = Shop::demo().map_err(|e| Fault::internal(e.to_string()))?;
    let shop = db.act(|c| {
        let there: Option<i64> = shops::table.filter(shops::name.eq(SHOP)).select(shops::id).first(c).optional()?;
        // Into a house that has a shop of its own comes no demo, and nobody with a password that all know.
        let others: i64 = shops::table.count().get_result(c)?;
        if there.is_some() || others > 0 {
            return Ok(there);
        }
        let id = make_shop(c, SHOP, &data)?;
        for (name, owner) in PEOPLE {
            people::add(c, id, name, PASSWORD, owner)?;
        }
        fill_rack(c, id, rack)?;
        Ok(Some(id))
    })?;
    let Some(shop) = shop else { return Ok(0) };
    let jobs_there: i64 = db.act(|c| Ok(jobs::table.filter(jobs::shop_id.eq(shop)).count().get_result(c)?))?;
    if jobs_there > 0 {
        return Ok(0);
    }
    let mut made = 0;
    for f in &files(folders)? {
        let bytes = std::fs::read(f).map_err(|e| Fault::internal(format!("{}: {e}", f.display())))?;
        let name = f.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        match read_model(reader, &name, &bytes) {
            Ok((raw, picture)) => {
                db.act(|c| {
                    let id = job_rows::make(c, shop, None, &name, &bytes, &raw, &picture)?;
                    let me = owner(c, shop)?;
                    for decision in decisions(&name) {
                        decide::decide(c, &me, id, &decide::Decide { revision: 0, decision })?;
                    }
                    Ok(())
                })?;
                made += 1;
            }
            // One file of the demo is bad on purpose: it is there to be dropped on the bench.
            Err(Fault::Model(_)) => {}
            Err(e) => return Err(e),
        }
    }
    Ok(made)
}

/// What is decided in the demo about a part.
fn decisions(file: &str) -> Vec<job::Decision> {
    let material = MATERIALS.iter().filter(|m| file.starts_with(m.0));
    let material = material.map(|m| job::Decision::Material { id: Some(m.1.into()) });
    let answers = ANSWERS.iter().filter(|a| file.starts_with(a.0));
    let answers = answers.map(|a| job::Decision::Answer { question: a.1.into(), answer: Some(a.2.into()) });
    let blocks = BLOCKS.iter().filter(|b| file.starts_with(b.0));
    let blocks = blocks.map(|b| job::Decision::Stock { choice: Some(job::StockDecision::Sizes(b.1)) });
    // The rack has a round for it, which the mill's programs do not take yet.
    let by_rule =
        file.starts_with("finder-flange").then_some(job::Decision::Stock { choice: Some(job::StockDecision::Rule) });
    let ways = WAYS.iter().filter(|w| file.starts_with(w.0));
    let ways = ways.map(|w| job::Decision::Scheme { id: w.1.parse().ok() });
    material.chain(answers).chain(blocks).chain(by_rule).chain(ways).collect()
}

fn owner(c: &mut Conn, shop: i64) -> Result<Me, Fault> {
    let p = people::find(c, PEOPLE[0].0)?.ok_or(Fault::NoSuch("person"))?;
    Ok(Me { id: p.id, name: p.name, owner: true, shop_id: shop, shop: SHOP.into(), units: "mm".into() })
}

fn fill_rack(c: &mut Conn, shop: i64, table: &Path) -> Result<(), Fault> {
    let text = std::fs::read_to_string(table).map_err(|e| Fault::internal(format!("{}: {e}", table.display())))?;
    let me = owner(c, shop)?;
    if let Some(e) = crate::rack::preview(c, &me, &text)?.errors.first() {
        return Err(Fault::internal(format!("{}, line {}: {}", table.display(), e.line, e.what)));
    }
    crate::rack::import(c, &me, &text)
}

/// Models of these folders, but for new revisions of a part ("-b"), which belong to a job that is there.
fn files(folders: &[&Path]) -> Result<Vec<PathBuf>, Fault> {
    let mut out = Vec::new();
    for dir in folders.iter().filter(|d| d.is_dir()) {
        let list = std::fs::read_dir(dir).map_err(|e| Fault::internal(format!("{}: {e}", dir.display())))?;
        let mut list: Vec<_> = list.flatten().map(|e| e.path()).filter(|p| p.is_file()).collect();
        list.retain(|p| p.file_stem().is_some_and(|s| !s.to_string_lossy().ends_with("-b")));
        list.sort();
        out.extend(list);
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use reason::{Kind, Severity};

    /// The demo's decisions are about something that is there: none is lost, and where one was wanted nothing stops the plan any more.
    #[test]
    fn answers_of_the_demo_take_effect() {
        let shop = Shop::demo().unwrap();
        for (name, question, _) in ANSWERS {
            let file = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../../demo/reading/{name}.step"));
            let model = intake::read_trusted(&file).unwrap();
            let part = part::Part::from_model(&model, &intake::Reading::default()).unwrap();
            let list = decisions(&file.file_name().unwrap().to_string_lossy());
            assert!(list.iter().all(|d| d.fault().is_none()));
            let plan = job::plan(&part, name, &shop, &job::Settled::after(&list)).unwrap().plan;
            assert!(plan.findings.iter().all(|f| f.kind != Kind::AnswerLost), "{question}");
            match part::left_for_the_hand(question) {
                Some((left, _)) => assert!(plan.named.iter().any(|f| f.id == left && f.severity == Severity::Warn)),
                None => assert!(plan.sides.iter().any(|s| s.finished.iter().any(|f| f.operation.is_some()))),
            }
        }
    }
}
