//! The shop as plain data: cutters, holders, machine, vise, materials, each with the source of its numbers.

pub mod aid;
pub mod book;
pub mod collet;
pub mod dialect;
pub mod machine;
pub mod pallet;
pub mod rates;
pub mod standards;
pub mod table;
pub mod tilting;
pub mod tool;

use aid::Aid;
use collet::ColletBlock;
use dialect::Dialect;
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
    /// What zeros are found with.
    #[serde(default = "aid::usual")]
    pub aids: Vec<Aid>,
    /// Controls that programs can be written for; the mill names its own.
    #[serde(default = "dialects")]
    pub dialects: Vec<Dialect>,
    /// What hours cost.
    #[serde(default)]
    pub rates: rates::Rates,
    /// Cutters in their holders.
    pub crib: Vec<Tool>,
    /// Materials.
    pub materials: Vec<Material>,
}

/// What a shop begins with.
fn dialects() -> Vec<Dialect> {
    dialect::shipped().to_vec()
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
    /// No such control.
    #[error("no control is called '{name}'; there are {known}")]
    NoDialect {
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
    /// Has the crib ball end mills?
    pub fn has_balls(&self) -> bool {
        self.crib.iter().any(|t| t.kind == tool::ToolKind::Ball)
    }
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
            aids: aid::usual(),
            dialects: dialects(),
            rates: rates::Rates::default(),
            crib: crib.tool,
            materials: materials.material,
        };
        shop.check()?;
        Ok(shop)
    }

    /// Why this shop cannot be counted with: the first thing that makes no sense in it.
    ///
    /// # Errors
    /// [`ShopError::Wrong`] and [`ShopError::NoMaterial`], with what to do.
    pub fn check(&self) -> Result<(), ShopError> {
        let one_by_one: [&dyn Fn() -> Option<String>; 20] = [
            &|| self.machine.fault(),
            &|| self.vise.fault(),
            &|| self.crib.iter().find_map(Tool::fault),
            &|| self.materials.iter().find_map(Material::fault),
            &|| self.jaw_blanks.iter().find_map(JawBlanks::fault),
            &|| self.chucks.iter().find_map(Chuck::fault),
            &|| self.pallets.iter().find_map(Pallet::fault),
            &|| self.adhesives.iter().find_map(Adhesive::fault),
            &|| self.pins.iter().find_map(Pin::fault),
            &|| self.screws.iter().find_map(Screw::fault),
            &|| self.angle_blocks.as_ref().and_then(AngleBlocks::fault),
            &|| self.sine_bars.iter().find_map(SineBar::fault),
            &|| self.table.as_ref().and_then(Table::fault),
            &|| self.straps.iter().find_map(Strap::fault),
            &|| self.sheets.iter().find_map(WasteSheet::fault),
            &|| self.sheet_screws.iter().find_map(SheetScrew::fault),
            &|| self.collet_blocks.iter().find_map(ColletBlock::fault),
            &|| self.dialects.iter().find_map(Dialect::fault),
            &|| self.aids.iter().find_map(Aid::fault),
            &|| self.rates.fault(),
        ];
        if let Some(fault) = one_by_one.iter().find_map(|f| f()) {
            return Err(ShopError::Wrong(fault));
        }
        for (what, name) in self.names() {
            if name.trim().is_empty() {
                return Err(ShopError::Wrong(format!("a {what} needs a name")));
            }
        }
        for m in self.jaw_blanks.iter().map(|b| &b.material).chain(self.pallets.iter().map(|p| &p.material)) {
            self.material(m)?;
        }
        for (k, t) in self.crib.iter().enumerate() {
            if self.crib[..k].iter().any(|o| o.number == t.number) {
                return Err(ShopError::Wrong(format!("tool number {} is given twice", t.number)));
            }
        }
        for (k, m) in self.materials.iter().enumerate() {
            if self.materials[..k].iter().any(|o| o.id.eq_ignore_ascii_case(&m.id)) {
                return Err(ShopError::Wrong(format!("the material '{}' is given twice", m.id)));
            }
        }
        for (k, d) in self.dialects.iter().enumerate() {
            if self.dialects[..k].iter().any(|o| o.id == d.id) {
                return Err(ShopError::Wrong(format!("the control '{}' is given twice", d.id)));
            }
        }
        let control = self.dialect(&self.machine.dialect)?;
        if self.machine.rigid_tapping && control.tapping == dialect::Tapping::WrittenOut {
            return Err(ShopError::Wrong(format!(
                "the mill taps in step with its spindle, and its control ({}) has no words for that: choose how it leads a tap, or say that it does not",
                control.name
            )));
        }
        if self.materials.is_empty() || self.crib.is_empty() {
            return Err(ShopError::Wrong("a shop has a material and a cutter at least".into()));
        }
        Ok(())
    }

    /// What is known by a name, and that.
    fn names(&self) -> Vec<(&'static str, &str)> {
        let mut out = vec![("mill", self.machine.name.as_str()), ("vise", &self.vise.name)];
        out.extend(self.materials.iter().flat_map(|m| [("material", m.name.as_str()), ("material", &m.id)]));
        out.extend(self.jaw_blanks.iter().map(|x| ("pair of jaw blanks", x.name.as_str())));
        out.extend(self.chucks.iter().map(|x| ("chuck", x.name.as_str())));
        out.extend(self.pallets.iter().map(|x| ("pallet", x.name.as_str())));
        out.extend(self.adhesives.iter().map(|x| ("tape or glue", x.name.as_str())));
        out.extend(self.sine_bars.iter().map(|x| ("sine bar", x.name.as_str())));
        out.extend(self.straps.iter().map(|x| ("strap", x.name.as_str())));
        out.extend(self.sheets.iter().map(|x| ("sheet", x.name.as_str())));
        out.extend(self.collet_blocks.iter().map(|x| ("collet block", x.name.as_str())));
        out.extend(self.dialects.iter().map(|x| ("control", x.name.as_str())));
        out.extend(self.aids.iter().map(|x| ("aid for finding zeros", x.name.as_str())));
        out
    }

    /// A control by its short name; of this shop, else of those that ship with the product.
    ///
    /// # Errors
    /// [`ShopError::NoDialect`] with the names that there are.
    pub fn dialect(&self, id: &str) -> Result<&Dialect, ShopError> {
        let all = || self.dialects.iter().chain(dialect::shipped());
        let known = || {
            let mut ids: Vec<&str> = all().map(|d| d.id.as_str()).collect();
            let mut seen = std::collections::BTreeSet::new();
            ids.retain(|i| seen.insert(*i));
            ids.join(", ")
        };
        all().find(|d| d.id == id).ok_or_else(|| ShopError::NoDialect { name: id.into(), known: known() })
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
