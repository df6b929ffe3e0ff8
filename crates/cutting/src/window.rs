//! The operating window: which feeds per tooth are possible at which radial width, and what each limit is; and what follows from numbers
//! that a person typed.

use crate::force::forces;
use crate::formula as f;
use crate::propose::{EDGE_CHIP, MillData, as_cut, bend_of, feeds_per_tooth};
use reason::{Source, Sources, len};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material};
use shop::tool::Tool;
use std::f64::consts::{FRAC_PI_2, PI};
use ts_rs::TS;

/// One limit over the widths.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Curve {
    /// "usable power".
    pub name: String,
    /// From above, or from below.
    pub upper: bool,
    /// Feed per tooth at each width, mm.
    pub fz: Vec<f64>,
    /// Formula and where it comes from.
    pub source: Sources,
}

/// Limits of feed per tooth against radial width, at one speed and depth.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Window {
    /// Radial widths, mm.
    pub ae: Vec<f64>,
    /// Limits.
    pub curves: Vec<Curve>,
}

/// Rounded for a picture.
fn short(v: f64) -> f64 {
    (v * 1e5).round() / 1e5
}

/// The window of a side cut with `rpm` and `ap` mm of depth, bending at most `bend` mm at the tip.
///
/// Power, torque and bending grow with fz^(1 − mc) by Kienzle's law, so each is solved for fz in closed form.
pub fn window(tool: &Tool, m: &Material, machine: &Machine, rpm: f64, ap: f64, bend: f64) -> Window {
    const SAMPLES: usize = 48;
    let (d, z) = (tool.diameter_mm, f64::from(tool.flutes.max(1)));
    let ae: Vec<f64> = (1..=SAMPLES).map(|k| short(d * k as f64 / SAMPLES as f64)).collect();
    let thin = |ae: f64| f::thickest_chip(1.0, ae, d);
    // P for fz = 1; P(fz) = unit · fz^(1 − mc).
    let unit = |ae: f64| {
        let phi = if ae >= d - 1e-9 { PI } else { f::engagement(ae, d) };
        let hm = f::mean_chip(1.0, ae, d, phi, FRAC_PI_2);
        f::power(f::removal(ap, ae, z * rpm), f::specific_force(m.kc11_mpa, m.mc, hm))
    };
    let solve = |limit: f64, ae: f64| (limit / unit(ae)).powf(1.0 / (1.0 - m.mc));
    let torque_kw = machine.usable_nm(rpm) * rpm * PI / 30_000.0;
    // The highest force grows with fz^(1 − mc) too.
    let force = bend / bend_of(tool);
    let bends = |ae: f64| {
        let phi = if ae >= d - 1e-9 { PI } else { f::engagement(ae, d) };
        (force / forces(&as_cut(tool, m, FRAC_PI_2, 1.0, ap, phi)).side).powf(1.0 / (1.0 - m.mc))
    };
    let [_, most, floor] = feeds_per_tooth(tool, m);
    let curve = |name: &str, upper: bool, source: Source, fz: &dyn Fn(f64) -> f64| Curve {
        name: name.into(),
        upper,
        fz: ae.iter().map(|&a| short(fz(a))).collect(),
        source: source.into(),
    };
    let curves = vec![
        curve("feed cap of the machine", true, Source::derived("vf/(n·z)"), &|_| machine.feed_max_mm_min / (rpm * z)),
        curve(
            "tooth load",
            true,
            Source::cited("1.3 × the material's starting feed, by chip thinning (ISO 3002)"),
            &|a| most / thin(a).clamp(0.5, 1.0),
        ),
        curve("usable power", true, Source::cited("Kienzle; the machine's share of power"), &|a| {
            solve(machine.usable_kw(rpm), a)
        }),
        curve("torque", true, Source::cited("Kienzle; the spindle's torque"), &|a| solve(torque_kw, a)),
        curve(
            "deflection",
            true,
            Source::derived("F·L³/(3·E·I), 0.8·D at the flutes, under the highest force over a revolution"),
            &bends,
        ),
        curve("rubs", false, Source::practice("least chip"), &|a| {
            if EDGE_CHIP > floor * thin(a) { EDGE_CHIP / thin(a).clamp(1e-6, 1.0) } else { floor }
        }),
    ];
    Window { ae, curves }
}

/// Chip, power, force and bending after rpm, feed or depth were changed by hand; each limit that is passed becomes a remark.
pub fn follow(data: &mut MillData, tool: &Tool, m: &Material, machine: &Machine) {
    let (d, z) = (tool.diameter_mm, f64::from(tool.flutes.max(1)));
    let (n, vf, ap, ae) = (data.rpm.value, data.feed.value, data.ap.value, data.ae);
    let fz = vf / (n * z);
    if (fz - data.fz.value).abs() > 1e-9 {
        data.fz.value = fz;
        data.fz.bound_by = "speed and feed as typed".into();
    }
    let phi = if ae >= d - 1e-9 { PI } else { f::engagement(ae, d) };
    let hm = f::mean_chip(fz, ae, d, phi, FRAC_PI_2).clamp(1e-4, f64::INFINITY);
    data.power_kw = f::power(f::removal(ap, ae, vf), f::specific_force(m.kc11_mpa, m.mc, hm));
    data.force_n = data.power_kw * 60e6 / (PI * d * n);
    let high = forces(&as_cut(tool, m, FRAC_PI_2, fz, ap, phi));
    (data.side_n, data.tooth_n, data.axial_n) = (high.side, high.tooth, high.axial);
    data.deflection_mm = bend_of(tool) * high.side;
    data.plunge = (vf * 0.3).floor().clamp(1.0, f64::INFINITY);
    data.remarks.clear();
    let mut over = |what: &str, have: f64, most: f64, unit: &str| {
        if have > most * 1.001 {
            data.remarks.push(format!("Over the {what}: {have:.3} {unit} where {most:.3} is the limit"));
        }
    };
    over("usable power", data.power_kw, machine.usable_kw(n), "kW");
    over("torque", f::torque(data.power_kw, n), machine.usable_nm(n), "N m");
    over("flute length", ap, tool.flute_length_mm, "mm");
    over("spindle's speed", n, machine.rpm_max, "1/min");
    over("machine's feed", vf, machine.feed_max_mm_min, "mm/min");
    let tooth = feeds_per_tooth(tool, m)[1] / f::thickest_chip(1.0, ae, d).clamp(0.5, 1.0);
    over("tooth load", fz, tooth, "mm");
    let hex = f::thickest_chip(fz, ae, d);
    if hex < EDGE_CHIP {
        data.remarks.push(format!(
            "Rubs: {hex:.4} mm chip where {EDGE_CHIP} mm is wanted",
            hex = len(hex),
            EDGE_CHIP = len(EDGE_CHIP)
        ));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{MillTask, mill};
    use shop::Shop;

    #[test]
    fn a_point_on_a_curve_has_just_the_load_that_the_curve_says() {
        let s = Shop::demo().unwrap();
        let m = s.material("aluminium-6082").unwrap();
        let t = s.crib.iter().find(|t| t.kind == shop::tool::ToolKind::Flat && t.diameter_mm == 10.0).unwrap();
        let task = MillTask {
            depth: 6.0,
            width: 2.5,
            bend: 0.06,
            feed_share: 1.0,
            kappa: FRAC_PI_2,
            cuts_at: None,
            finish: false,
            most_n: f64::INFINITY,
        };
        let mut data = mill(&task, t, m, &s.machine);
        let w = window(t, m, &s.machine, data.rpm.value, data.ap.value, 0.06);
        let data_rpm = data.rpm.value;
        let k = w.ae.iter().position(|a| (a - 2.5).abs() < 0.11).unwrap();
        data.ae = w.ae[k];
        let at = |name: &str| w.curves.iter().find(|c| c.name == name).unwrap().fz[k];
        let mut with = |fz: f64| {
            data.feed.value = fz * data.rpm.value * f64::from(t.flutes);
            follow(&mut data, t, m, &s.machine);
            (data.power_kw, data.deflection_mm)
        };
        assert!((with(at("usable power")).0 / s.machine.usable_kw(data_rpm) - 1.0).abs() < 1e-3);
        assert!((with(at("deflection")).1 / 0.06 - 1.0).abs() < 1e-3);
        with(at("usable power") * 1.2);
        assert!(data.remarks.iter().any(|r| r.starts_with("Over the usable power")), "{:?}", data.remarks);
    }
}
