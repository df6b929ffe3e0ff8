//! The shop as plain data: cutters, holders, machine, vise, materials, each with the source of its numbers.

pub mod collet;
pub mod machine;
pub mod pallet;
pub mod standards;
pub mod table;
pub mod tilting;
pub mod tool;

use collet::ColletBlock;
use machine::{Chuck, JawBlanks, Machine, Material, Vise};
use pallet::{Adhesive, Pallet, Pin, Screw};
use serde::{Deserialize, Serialize};
use table::{SheetScrew, Strap, Table, WasteSheet};
use tilting::{AngleBlocks, SineBar};
use tool::Tool;
use ts_rs::TS;

/// A revision of the shop: everything a plan takes from it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Shop {
    /// The mill.
    pub machine: Machine,
    /// Its vise.
    pub vise: Vise,
    /// Soft jaws for it that are not cut yet.
    #[serde(default)]
    pub jaw_blanks: Vec<JawBlanks>,
    /// Chucks for the table.
    #[serde(default)]
    pub chucks: Vec<Chuck>,
    /// Plates that pieces are stuck to.
    #[serde(default)]
    pub pallets: Vec<Pallet>,
    /// What sticks them.
    #[serde(default)]
    pub adhesives: Vec<Adhesive>,
    /// Pins that set a piece on a plate.
    #[serde(default)]
    pub pins: Vec<Pin>,
    /// Screws that hold it there.
    #[serde(default)]
    pub screws: Vec<Screw>,
    /// Blocks that set a piece at an angle.
    #[serde(default)]
    pub angle_blocks: Option<AngleBlocks>,
    /// The same for any angle.
    #[serde(default)]
    pub sine_bars: Vec<SineBar>,
    /// The table, where pieces are held on it.
    #[serde(default)]
    pub table: Option<Table>,
    /// Straps for it.
    #[serde(default)]
    pub straps: Vec<Strap>,
    /// Sheets that lie under a piece and are cut into.
    #[serde(default)]
    pub sheets: Vec<WasteSheet>,
    /// Screws for them.
    #[serde(default)]
    pub sheet_screws: Vec<SheetScrew>,
    /// Blocks with collets, for bars.
    #[serde(default)]
    pub collet_blocks: Vec<ColletBlock>,
    /// Cutters in their holders.
    pub crib: Vec<Tool>,
    /// Materials.
    pub materials: Vec<Material>,
}

/// Data of the shop that does not make sense.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ShopError {
    /// Not readable.
    #[error("the shop's data cannot be read: {0}")]
    Unreadable(String),
    /// A value out of sense.
    #[error("the shop's data is wrong: {0}")]
    Wrong(String),
    /// No such material.
    #[error("no material is called '{name}'; there are {known}")]
    NoMaterial {
        /// Asked for.
        name: String,
        /// What there is.
        known: String,
    },
    /// No such machine.
    #[error("no machine is called '{name}'; there is {known}")]
    NoMachine {
        /// Asked for.
        name: String,
        /// What there is.
        known: String,
    },
}

impl Shop {
    /// The demo shop: one bench mill, one vise, its crib, six materials and two substitutes for rehearsals.
    pub fn demo() -> Result<Shop, ShopError> {
        #[derive(Deserialize)]
        struct Place {
            machine: Machine,
            vise: Vise,
            jaw_blanks: Vec<JawBlanks>,
            chucks: Vec<Chuck>,
            pallets: Vec<Pallet>,
            adhesives: Vec<Adhesive>,
            pins: Vec<Pin>,
            screws: Vec<Screw>,
            angle_blocks: AngleBlocks,
            sine_bars: Vec<SineBar>,
            table: Table,
            straps: Vec<Strap>,
            sheets: Vec<WasteSheet>,
            sheet_screws: Vec<SheetScrew>,
            collet_blocks: Vec<ColletBlock>,
        }
        #[derive(Deserialize)]
        struct Crib {
            tool: Vec<Tool>,
        }
        #[derive(Deserialize)]
        struct Materials {
            material: Vec<Material>,
        }
        let bad = |e: toml::de::Error| ShopError::Unreadable(e.to_string());
        let place: Place = toml::from_str(include_str!("../data/machine.toml")).map_err(bad)?;
        let crib: Crib = toml::from_str(include_str!("../data/crib.toml")).map_err(bad)?;
        let materials: Materials = toml::from_str(include_str!("../data/materials.toml")).map_err(bad)?;
        let shop = Shop {
            machine: place.machine,
            vise: place.vise,
            jaw_blanks: place.jaw_blanks,
            chucks: place.chucks,
            pallets: place.pallets,
            adhesives: place.adhesives,
            pins: place.pins,
            screws: place.screws,
            angle_blocks: Some(place.angle_blocks),
            sine_bars: place.sine_bars,
            table: Some(place.table),
            straps: place.straps,
            sheets: place.sheets,
            sheet_screws: place.sheet_screws,
            collet_blocks: place.collet_blocks,
            crib: crib.tool,
            materials: materials.material,
        };
        shop.check()?;
        Ok(shop)
    }

    fn check(&self) -> Result<(), ShopError> {
        if let Some(fault) = self.machine.fault().or_else(|| self.crib.iter().find_map(Tool::fault)) {
            return Err(ShopError::Wrong(fault));
        }
        let blanks = self.jaw_blanks.iter().find_map(JawBlanks::fault);
        let blanks = blanks.or_else(|| self.chucks.iter().find_map(Chuck::fault));
        let stuck = || self.pallets.iter().find_map(Pallet::fault);
        let screwed = || self.pins.iter().find_map(Pin::fault).or_else(|| self.screws.iter().find_map(Screw::fault));
        let stuck = blanks.or_else(stuck).or_else(|| self.adhesives.iter().find_map(Adhesive::fault));
        let tilted = || {
            let blocks = self.angle_blocks.as_ref().and_then(AngleBlocks::fault);
            blocks.or_else(|| self.sine_bars.iter().find_map(SineBar::fault))
        };
        let on_table = || {
            let straps =
                self.table.as_ref().and_then(Table::fault).or_else(|| self.straps.iter().find_map(Strap::fault));
            let sheets = straps.or_else(|| self.sheets.iter().find_map(WasteSheet::fault));
            let sheets = sheets.or_else(|| self.sheet_screws.iter().find_map(SheetScrew::fault));
            sheets.or_else(|| self.collet_blocks.iter().find_map(ColletBlock::fault))
        };
        if let Some(fault) = stuck.or_else(screwed).or_else(tilted).or_else(on_table) {
            return Err(ShopError::Wrong(fault));
        }
        for m in self.jaw_blanks.iter().map(|b| &b.material).chain(self.pallets.iter().map(|p| &p.material)) {
            self.material(m)?;
        }
        for (k, t) in self.crib.iter().enumerate() {
            if self.crib[..k].iter().any(|o| o.number == t.number) {
                return Err(ShopError::Wrong(format!("tool number {} is given twice", t.number)));
            }
        }
        Ok(())
    }

    /// By id or name, whatever the case.
    pub fn material(&self, name: &str) -> Result<&Material, ShopError> {
        let known = || self.materials.iter().map(|m| m.id.as_str()).collect::<Vec<_>>().join(", ");
        self.materials
            .iter()
            .find(|m| m.id.eq_ignore_ascii_case(name) || m.name.eq_ignore_ascii_case(name))
            .ok_or_else(|| ShopError::NoMaterial { name: name.into(), known: known() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_demo_shop_is_sound_and_says_where_its_numbers_come_from() {
        let s = Shop::demo().unwrap();
        assert_eq!(s.materials.iter().filter(|m| !m.substitute).count(), 6);
        assert!(s.materials.iter().any(|m| m.substitute));
        assert!(s.crib.len() >= 25 && s.materials.iter().all(|m| !m.source.is_empty()));
        assert!(s.material("BRASS").is_ok());
        let e = s.material("unobtainium").unwrap_err().to_string();
        assert!(e.contains("mild-steel"), "{e}");
    }

    #[test]
    fn what_sticks_nothing_is_refused() {
        let s = Shop::demo().unwrap();
        assert!(s.adhesives.len() >= 2 && s.adhesives.iter().all(|a| !a.source.is_empty()));
        let wrong = |f: &dyn Fn(&mut Shop)| {
            let mut s = s.clone();
            f(&mut s);
            s.check().unwrap_err().to_string()
        };
        assert!(wrong(&|s| s.adhesives[0].shear_mpa = 0.0).contains("shear"));
        assert!(wrong(&|s| s.chucks[0].range_mm = [50.0, 20.0]).contains("range"));
        assert!(wrong(&|s| s.pallets[0].may_cut_mm = 20.0).contains("gripped"));
        assert!(wrong(&|s| s.pallets[0].size_mm[1] = f64::NAN).contains("sizes"));
        assert!(wrong(&|s| s.table.as_mut().unwrap().slots_mm.push(500.0)).contains("slots"));
        assert!(wrong(&|s| s.straps[0].stud_from_nose_mm = 90.0).contains("between nose and heel"));
        assert!(wrong(&|s| s.sheets[0].may_cut_mm = 18.0).contains("thicker"));
        assert!(wrong(&|s| s.sheet_screws[1].press_n = -1.0).contains("sheet screw Ø4.5"));
    }

    #[test]
    fn a_number_given_twice_is_refused() {
        let mut s = Shop::demo().unwrap();
        let again = s.crib[0].clone();
        s.crib.push(again);
        assert!(s.check().unwrap_err().to_string().contains("twice"));
    }
}
