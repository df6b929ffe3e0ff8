//! The control, without a clock: time passes when a test lets it.

use geom::{DVec2, DVec3};
use machine::hidden::Hidden;
use machine::{Control, Fault, Mode, Order, Reply, With};
use proof::time::{Motion, seconds};
use shop::Shop;
use std::time::{Duration, Instant};

const TEXT: &str = "G21 G90 G17 G54\nG53 G0 Z0\nT5 M6\nS3000 M3\nG43 H5\nG0 X10 Y10\nG0 Z5\nM8\nG1 Z-1 F300\nG1 X60 F600\nG3 X60 Y30 I0 J10\nM9\nG0 Z5\nM0\nS3000 M3\nG1 X10\nM1\nM5\nG53 G0 Z0\nM30\n";

struct Rig {
    c: Control,
    now: Instant,
}

impl Rig {
    fn new(seed: u64) -> Rig {
        let now = Instant::now();
        let mut r = Rig { c: Control::new(seed, now), now };
        let shop = Shop::demo().unwrap();
        let dialect = Box::new(shop.dialect("iso").or_else(|_| shop.dialect(&shop.machine.dialect)).unwrap().clone());
        r.ok(Order::Take { who: "run 1".into(), machine: Box::new(shop.machine), dialect });
        r
    }
    fn say(&mut self, o: Order) -> Reply {
        self.c.order(&o, self.now)
    }
    fn ok(&mut self, o: Order) -> Reply {
        let r = self.say(o.clone());
        assert_eq!(r.no, None, "{o:?}");
        r
    }
    fn no(&mut self, o: Order) -> String {
        self.say(o.clone()).no.unwrap_or_else(|| panic!("{o:?} was done"))
    }
    fn pass(&mut self, s: f64) -> Reply {
        self.c.pass(Duration::from_secs_f64(s));
        self.say(Order::State)
    }
    fn ready(&mut self) {
        self.ok(Order::Fit { tool: 5, length_mm: 80.0, diameter_mm: 8.0 });
        let m = Shop::demo().unwrap().machine;
        let z = -m.nose_to_table_mm + 120.0;
        let [x, y] = m.middle_mm();
        for (axis, value) in [x - 50.0, y - 20.0, z].into_iter().enumerate() {
            self.ok(Order::Zero { axis, value });
        }
        self.ok(Order::Length { tool: 5, value: 80.0 });
        self.ok(Order::Load { name: "a.ngc".into(), text: TEXT.into() });
    }
}

#[test]
fn a_program_takes_its_time_and_stands_at_its_stops() {
    let mut r = Rig::new(1);
    r.ready();
    let takes = r.ok(Order::Start).state.takes_min;
    let m = Shop::demo().unwrap().machine;
    let program = program::read(TEXT, &program::ReadSettings::default()).unwrap();
    let reckoned = seconds(&program.steps, &Motion::of(&m)).iter().sum::<f64>() / 60.0;
    assert!((takes - reckoned).abs() < 0.05, "{takes} {reckoned}");
    let mut ran = 0.0;
    let mut lines = Vec::new();
    while r.c.answer().state.mode == Mode::Running {
        ran += 0.1;
        let s = r.pass(0.1).state;
        if lines.last() != Some(&s.line) {
            lines.push(s.line);
        }
        assert!(ran < 600.0);
    }
    let s = r.say(Order::State).state;
    assert_eq!((s.mode, s.line), (Mode::Stopped, 14));
    assert!(lines.is_sorted() && lines.contains(&10) && lines.contains(&11), "{lines:?}");
    // Where the half circle ended.
    assert!(
        (s.work_mm[0] - 60.0).abs() < 1e-9 && (s.work_mm[1] - 30.0).abs() < 1e-9 && (s.work_mm[2] - 5.0).abs() < 1e-9
    );
    assert!((s.ran_min * 60.0 - ran).abs() < 0.11, "{} {ran}", s.ran_min * 60.0);
    r.ok(Order::Start);
    assert_eq!(r.pass(1000.0).state.line, 17, "M1");
    r.ok(Order::Start);
    let s = r.pass(1000.0).state;
    assert_eq!(s.mode, Mode::Done, "{}", s.says);
    assert!((s.ran_min - takes).abs() < 1e-9, "all of it: {} {takes}", s.ran_min);
    // Without optional stops it does not stand at M1.
    r.ok(Order::OptionalStop { on: false });
    r.ok(Order::Start);
    r.pass(1000.0);
    r.ok(Order::Start);
    assert_eq!(r.pass(1000.0).state.mode, Mode::Done);
}

#[test]
fn half_the_feed_takes_twice_as_long_while_it_feeds() {
    let time = |percent: f64| {
        let mut r = Rig::new(1);
        r.ready();
        r.ok(Order::Override { percent });
        r.ok(Order::Start);
        r.pass(10_000.0);
        r.say(Order::State).state.ran_min * 60.0
    };
    let (whole, half) = (time(100.0), time(50.0));
    let m = Shop::demo().unwrap().machine;
    let program = program::read(TEXT, &program::ReadSettings::default()).unwrap();
    let all = seconds(&program.steps, &Motion::of(&m));
    let to_stop = program.steps.iter().zip(&all).take_while(|(s, _)| s.line < 14);
    let feeds: f64 = to_stop.filter(|(s, _)| matches!(s.kind, program::StepKind::Feed { .. })).map(|(_, t)| t).sum();
    assert!(feeds > 5.0 && (half - whole - feeds).abs() < 1e-6, "{whole} {half} {feeds}");
    // At 0 % it stands and goes on from there.
    let mut r = Rig::new(1);
    r.ready();
    r.ok(Order::Start);
    while r.pass(0.05).state.line < 10 {}
    r.ok(Order::Override { percent: 0.0 });
    let at = r.pass(0.0).state.machine_mm;
    assert_eq!(r.pass(100.0).state.machine_mm, at);
    r.ok(Order::Override { percent: 100.0 });
    assert_eq!(r.pass(100.0).state.mode, Mode::Stopped);
}

#[test]
fn it_stands_by_itself_where_something_is_wrong() {
    let broken = |spoil: &dyn Fn(&mut Rig)| {
        let mut r = Rig::new(2);
        r.ready();
        spoil(&mut r);
        r.ok(Order::Start);
        let s = r.pass(1000.0).state;
        assert!(matches!(s.mode, Mode::Alarm | Mode::Held | Mode::Off), "{:?} {}", s.mode, s.says);
        (s.line, s.says)
    };
    let load = |r: &mut Rig, text: String| _ = r.ok(Order::Load { name: "b".into(), text });
    let x = |r: &mut Rig| _ = r.ok(Order::Zero { axis: 0, value: -1000.0 });
    assert_eq!(broken(&x).0, 6);
    assert!(broken(&x).1.contains("beyond the travel"));
    assert!(broken(&|r| load(r, TEXT.replace("T5", "T7"))).1.contains("T7 is not in its place"));
    assert!(broken(&|r| load(r, TEXT.replace("H5", "H6"))).1.contains("no length is entered for H6"));
    assert!(broken(&|r| load(r, TEXT.replace("S3000", "S90000"))).1.contains("S90000"));
    // Its travel goes that deep with a long cutter: the table is nearer.
    let long = |r: &mut Rig| {
        r.ok(Order::Fit { tool: 5, length_mm: 140.0, diameter_mm: 8.0 });
        r.ok(Order::Length { tool: 5, value: 140.0 });
        load(r, TEXT.replace("G1 Z-1 F", "G1 Z-121 F"));
    };
    let said = broken(&long).1;
    assert!(said.contains("table"), "{said}");
    assert!(broken(&|r| load(r, TEXT.replace("S3000 M3\nG43", "G43"))).1.contains("spindle stands"));
    assert_eq!(broken(&|r| _ = r.ok(Order::Coolant { enough: false })).0, 9, "the first cut with coolant");
    let fault = |fault: Fault| move |r: &mut Rig| _ = r.ok(Order::Fault { fault });
    let (line, says) = broken(&fault(Fault::Break { line: 10 }));
    assert!(line == 10 && says.contains("look at T5"), "{line} {says}");
    assert_eq!(broken(&fault(Fault::Power { line: 11 })).0, 11);
}

#[test]
fn what_cannot_be_is_refused_and_changes_nothing() {
    let mut r = Rig::new(3);
    assert!(r.no(Order::Start).contains("No program"));
    assert!(r.no(Order::Setter { tool: 5 }).contains("T5 is not in its place"));
    r.ready();
    let said = r.no(Order::Load { name: "x".into(), text: "G1 X10 F100\nG77 X1\n".into() });
    assert!(said.contains("line 2"), "{said}");
    assert_eq!(r.say(Order::State).state.program.as_deref(), Some("a.ngc"), "the program before is still there");
    assert!(
        r.no(Order::Take {
            who: "run 2".into(),
            machine: Box::new(Shop::demo().unwrap().machine),
            dialect: Box::default()
        })
        .contains("taken by run 1")
    );
    r.ok(Order::Door { open: true });
    assert!(r.no(Order::Start).contains("door"));
    r.ok(Order::Door { open: false });
    r.ok(Order::Start);
    assert!(r.no(Order::Zero { axis: 0, value: 0.0 }).contains("A program runs"));
    r.pass(2.0);
    r.ok(Order::Door { open: true });
    assert_eq!(r.say(Order::State).state.mode, Mode::Held);
    r.ok(Order::Door { open: false });
    r.ok(Order::Start);
    assert_eq!(r.pass(1000.0).state.mode, Mode::Stopped, "on from where it stood");
    assert!(r.no(Order::Override { percent: 500.0 }).contains("200"));
    // Without power nothing is done; afterwards the axes must find themselves first.
    r.ok(Order::Power { on: false });
    assert!(r.no(Order::Start).contains("without power"));
    r.ok(Order::Power { on: true });
    assert!(r.no(Order::Start).contains("reference point"));
    r.ok(Order::Home);
    let s = r.ok(Order::Start).state;
    assert_eq!(s.lengths_mm.get(&5), Some(&80.0), "tables survive");
}

/// Where a turned face is touched, by a slow ball: it comes along its axis until it is within its radius of the plane.
#[test]
fn touches_are_those_of_a_ball_that_comes_slowly() {
    let mut dice = fastrand::Rng::with_seed(5);
    for n in 0..400 {
        let mut h = Hidden::new(n, DVec2::new(200.0, 100.0));
        h.turn = (dice.f64() - 0.5) * 0.2;
        let at = DVec3::new(dice.f64() * 300.0, dice.f64() * 200.0, -dice.f64() * 300.0);
        let (axis, side, r) = (n as usize % 3, if dice.bool() { 1.0 } else { -1.0 }, dice.f64() * 5.0);
        let mut normal = DVec3::ZERO;
        normal[axis] = side;
        let n = DVec2::from_angle(h.turn).rotate(normal.truncate()).extend(normal.z);
        let off = |m: f64| {
            let mut p = at;
            p[axis] = m;
            (p - h.real(at)).dot(n) - r
        };
        let (mut free, mut in_it) = (at[axis] + side * 500.0, at[axis] - side * 500.0);
        assert!(off(free) > 0.0 && off(in_it) < 0.0);
        for _ in 0..60 {
            let m = f64::midpoint(free, in_it);
            *(if off(m) > 0.0 { &mut free } else { &mut in_it }) = m;
        }
        let told = h.touch(at, axis, side, r);
        assert!((told - free).abs() < 1e-6, "{told} {free}");
    }
}

/// What comes out of readings is the hidden truth, within what aids are off by.
#[test]
fn readings_give_the_truth_back() {
    for seed in 0..50 {
        let mut r = Rig::new(seed);
        r.ready();
        let hidden = r.ok(Order::Reveal).hidden.unwrap();
        let length = r.ok(Order::Setter { tool: 5 }).gave.unwrap();
        assert!((length - hidden.cutters[&5].length_mm).abs() <= 0.0025);
        let at = [150.0, 80.0, -200.0];
        let tip = With::Tip { diameter_mm: 6.0, length_mm: 0.0, off_mm: 0.01 };
        let x = r.ok(Order::Touch { at, axis: 0, side: -1.0, with: tip }).gave.unwrap() + 3.0;
        assert!((x - at[0] - hidden.shift.x).abs() < 0.0106, "{x}");
        let pin = With::Cutter { tool: 5, gap_mm: 6.0, off_mm: 0.01 };
        let z = r.ok(Order::Touch { at, axis: 2, side: 1.0, with: pin }).gave.unwrap() - 6.0 - length;
        assert!((z - at[2] - hidden.shift.z).abs() < 0.013, "{z}");
        let y = r.ok(Order::Middle { at, axis: 1, off_mm: 0.01 }).gave.unwrap();
        assert!((y - at[1] - hidden.shift.y).abs() < 0.0106);
        // A length entered 0.4 too long leaves the cut 0.4 too high, and a zero too low leaves it too low.
        let true_zero = at[2] + hidden.shift.z;
        r.ok(Order::Zero { axis: 2, value: true_zero - 0.1 });
        r.ok(Order::Length { tool: 5, value: hidden.cutters[&5].length_mm + 0.4 });
        let h = r.ok(Order::Height { tool: 5, nominal_mm: 12.0, zero_mm: at[2] }).gave.unwrap();
        assert!((h - 12.3).abs() < 0.004, "{h}");
        r.ok(Order::Fault { fault: Fault::Probe });
        assert!(r.no(Order::Touch { at, axis: 0, side: -1.0, with: tip }).contains("did not answer"));
        r.ok(Order::Touch { at, axis: 0, side: -1.0, with: tip });
    }
}
