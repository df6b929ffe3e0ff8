// Modelling, and solids on their way in and out.
#include "kernel/shim/inner.h"
#include "kernel/shim/shim.h"
#include "kernel/src/bridge.rs.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_NurbsConvert.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepFilletAPI_MakeChamfer.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRep_Builder.hxx>
#include <Bnd_Box.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <GProp_GProps.hxx>
#include <Interface_Static.hxx>
#include <STEPControl_Reader.hxx>
#include <STEPControl_Writer.hxx>
#include <StepData_Protocol.hxx>
#include <StepData_StepModel.hxx>
#include <StepData_StepWriter.hxx>
#include <XSControl_WorkSession.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Edge.hxx>
#include <sstream>
#include <stdexcept>
#include <string>

namespace goldchip {
namespace {

std::unique_ptr<Solid> wrap(const TopoDS_Shape &s) {
  if (s.IsNull()) throw std::runtime_error("the modelling step gave no shape");
  return std::make_unique<Solid>(Solid{s});
}

TopoDS_Shape unified(const TopoDS_Shape &s) {
  ShapeUpgrade_UnifySameDomain u(s, Standard_True, Standard_True, Standard_False);
  u.Build();
  return u.Shape();
}

gp_Ax2 ax2(P3 base, P3 axis) { return gp_Ax2(gp_Pnt(base[0], base[1], base[2]), gp_Dir(axis[0], axis[1], axis[2])); }

template <typename Add> void edges_in(const TopoDS_Shape &s, P3 lo, P3 hi, Add add) {
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(s, TopAbs_EDGE, edges);
  int found = 0;
  for (int i = 1; i <= edges.Extent(); ++i) {
    Bnd_Box b;
    BRepBndLib::AddOptimal(edges(i), b, Standard_False, Standard_False);
    double x0, y0, z0, x1, y1, z1;
    b.Get(x0, y0, z0, x1, y1, z1);
    const double e = 1e-4;
    if (x0 >= lo[0] - e && y0 >= lo[1] - e && z0 >= lo[2] - e && x1 <= hi[0] + e && y1 <= hi[1] + e && z1 <= hi[2] + e) {
      add(TopoDS::Edge(edges(i)));
      ++found;
    }
  }
  if (!found) throw std::runtime_error("no edge lies in the box");
}

} // namespace

std::unique_ptr<Solid> make_box(P3 a, P3 b) { return wrap(BRepPrimAPI_MakeBox(gp_Pnt(a[0], a[1], a[2]), gp_Pnt(b[0], b[1], b[2])).Shape()); }

std::unique_ptr<Solid> make_cylinder(P3 base, P3 axis, double r, double h) {
  return wrap(BRepPrimAPI_MakeCylinder(ax2(base, axis), r, h).Shape());
}

std::unique_ptr<Solid> make_cone(P3 base, P3 axis, double r0, double r1, double h) {
  return wrap(BRepPrimAPI_MakeCone(ax2(base, axis), r0, r1, h).Shape());
}

namespace {

TopoDS_Wire wire_of(rust::Slice<const double> o, double z) {
  if (o.size() < 10 || o.size() % 5) throw std::runtime_error("an outline needs 5 numbers a segment and two segments");
  BRepBuilderAPI_MakeWire wire;
  gp_Pnt from(o[o.size() - 5], o[o.size() - 4], z);
  for (size_t i = 0; i < o.size(); i += 5) {
    const gp_Pnt to(o[i], o[i + 1], z);
    if (from.Distance(to) > 1e-9) {
      if (o[i + 2] == 0.0) wire.Add(BRepBuilderAPI_MakeEdge(from, to).Edge());
      else wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(from, gp_Pnt(o[i + 3], o[i + 4], z), to).Value()).Edge());
    }
    from = to;
  }
  return wire.Wire();
}

} // namespace

std::unique_ptr<Solid> make_loft(rust::Slice<const double> outlines, size_t pieces, rust::Slice<const double> heights) {
  BRepOffsetAPI_ThruSections loft(Standard_True, Standard_False);
  for (size_t k = 0; k < heights.size(); ++k) loft.AddWire(wire_of(rust::Slice<const double>(outlines.data() + 5 * pieces * k, 5 * pieces), heights[k]));
  loft.Build();
  return wrap(loft.Shape());
}

std::unique_ptr<Solid> make_prism(rust::Slice<const double> o, double z0, double z1) {
  return wrap(BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire_of(o, z0), Standard_True).Face(), gp_Vec(0, 0, z1 - z0)).Shape());
}

std::unique_ptr<Solid> make_ball(P3 centre, double r) { return wrap(BRepPrimAPI_MakeSphere(gp_Pnt(centre[0], centre[1], centre[2]), r).Shape()); }

std::unique_ptr<Solid> fuse(const Solid &a, const Solid &b) { return wrap(unified(BRepAlgoAPI_Fuse(a.shape, b.shape).Shape())); }
std::unique_ptr<Solid> cut(const Solid &a, const Solid &b) { return wrap(unified(BRepAlgoAPI_Cut(a.shape, b.shape).Shape())); }

std::unique_ptr<Solid> chamfer_edges(const Solid &a, double size, P3 lo, P3 hi) {
  BRepFilletAPI_MakeChamfer m(a.shape);
  edges_in(a.shape, lo, hi, [&](const TopoDS_Edge &e) { m.Add(size, e); });
  return wrap(m.Shape());
}

std::unique_ptr<Solid> fillet_edges(const Solid &a, double r, P3 lo, P3 hi) {
  BRepFilletAPI_MakeFillet m(a.shape);
  edges_in(a.shape, lo, hi, [&](const TopoDS_Edge &e) { m.Add(r, e); });
  return wrap(m.Shape());
}

std::unique_ptr<Solid> moved(const Solid &a, P3 axis, double angle, P3 shift) {
  gp_Trsf turn, go;
  turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(axis[0], axis[1], axis[2])), angle);
  go.SetTranslation(gp_Vec(shift[0], shift[1], shift[2]));
  return wrap(BRepBuilderAPI_Transform(a.shape, go * turn, Standard_True).Shape());
}

std::unique_ptr<Solid> step_solid(rust::Slice<const uint8_t> bytes, size_t number, double scale) {
  quiet();
  STEPControl_Reader reader;
  Bytes buffer(bytes);
  std::istream stream(&buffer);
  if (reader.ReadStream("part.step", stream) != IFSelect_RetDone || reader.TransferRoots() == 0)
    throw std::runtime_error("not readable as STEP");
  const TopoDS_Shape shape = close_up(reader.OneShape()).shape;
  TopExp_Explorer s(shape, TopAbs_SOLID);
  for (size_t k = 0; k < number && s.More(); ++k) s.Next();
  if (!s.More()) throw std::runtime_error("the file has no solid of that number");
  if (scale == 1.0) return wrap(s.Current());
  gp_Trsf t;
  t.SetScale(gp_Pnt(0, 0, 0), scale);
  return wrap(BRepBuilderAPI_Transform(s.Current(), t, Standard_True).Shape());
}

std::unique_ptr<Solid> as_splines(const Solid &a) { return wrap(BRepBuilderAPI_NurbsConvert(a.shape, Standard_True).Shape()); }

std::unique_ptr<Solid> without_faces(const Solid &a, P3 lo, P3 hi) {
  TopoDS_Compound kept;
  BRep_Builder builder;
  builder.MakeCompound(kept);
  for (TopExp_Explorer f(a.shape, TopAbs_FACE); f.More(); f.Next()) {
    Bnd_Box b;
    BRepBndLib::AddOptimal(f.Current(), b, Standard_False, Standard_False);
    double x0, y0, z0, x1, y1, z1;
    b.Get(x0, y0, z0, x1, y1, z1);
    if (x0 < lo[0] || y0 < lo[1] || z0 < lo[2] || x1 > hi[0] || y1 > hi[1] || z1 > hi[2]) builder.Add(kept, f.Current());
  }
  return wrap(kept);
}

std::unique_ptr<Solid> beside(const Solid &a, const Solid &b) {
  TopoDS_Compound both;
  BRep_Builder builder;
  builder.MakeCompound(both);
  for (const TopoDS_Shape &from : {a.shape, b.shape})
    for (TopExp_Explorer s(from, TopAbs_SOLID); s.More(); s.Next()) builder.Add(both, s.Current());
  return wrap(both);
}

double volume(const Solid &a) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(a.shape, g);
  return g.Mass();
}

rust::Vec<uint8_t> to_step(const Solid &a) {
  quiet();
  STEPControl_Writer w;
  Interface_Static::SetCVal("write.step.schema", "AP214IS");
  Interface_Static::SetCVal("write.step.product.name", "part");
  if (w.Transfer(a.shape, STEPControl_AsIs) != IFSelect_RetDone) throw std::runtime_error("the solid could not be turned into STEP");
  // The writer itself only knows files by their names; what it prints needs none.
  StepData_StepWriter text(w.Model());
  text.SendModel(Handle(StepData_Protocol)::DownCast(w.WS()->Protocol()));
  std::ostringstream out;
  if (!text.Print(out) || !out) throw std::runtime_error("the STEP file could not be written");
  const std::string s = out.str();
  rust::Vec<uint8_t> bytes;
  bytes.reserve(s.size());
  for (const char c : s) bytes.push_back(static_cast<uint8_t>(c));
  return bytes;
}
} // namespace goldchip
