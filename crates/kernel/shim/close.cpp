// Surfaces that are no solid yet.
#include "kernel/shim/inner.h"
#include "kernel/shim/shim.h"
#include "kernel/src/bridge.rs.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepClass_FaceClassifier.hxx>
#include <BRepGProp.hxx>
#include <BRepLib.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GProp_GProps.hxx>
#include <ShapeAnalysis_FreeBounds.hxx>
#include <ShapeFix_Face.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Wire.hxx>
#include <algorithm>
#include <vector>

namespace goldchip {
namespace {
// Surfaces that belong to no solid are sewn where their edges lie within this of each other, mm.
constexpr double SEW = 0.01;

// Flat faces over closed borders; a border within another of the same plane is the inner border of that face.
std::vector<TopoDS_Shape> flat_caps(const TopoDS_Shape &wires) {
  struct Lid {
    TopoDS_Wire wire;
    TopoDS_Face face;
    gp_Pln plane;
    double area;
    int within = 0;
  };
  std::vector<Lid> lids;
  for (TopExp_Explorer w(wires, TopAbs_WIRE); w.More() && lids.size() < 200; w.Next()) {
    BRepBuilderAPI_MakeFace made(TopoDS::Wire(w.Current()), Standard_True);
    if (!made.IsDone()) continue;
    GProp_GProps g;
    BRepGProp::SurfaceProperties(made.Face(), g);
    lids.push_back({TopoDS::Wire(w.Current()), made.Face(), BRepAdaptor_Surface(made.Face()).Plane(), std::abs(g.Mass()), 0});
  }
  std::sort(lids.begin(), lids.end(), [](const Lid &a, const Lid &b) { return a.area > b.area; });
  // The smallest that holds it, and how many do.
  std::vector<int> parent(lids.size(), -1);
  for (size_t k = 0; k < lids.size(); ++k)
    for (size_t o = 0; o < k; ++o) {
      const gp_Pnt at = BRep_Tool::Pnt(TopExp::FirstVertex(TopoDS::Edge(TopExp_Explorer(lids[k].wire, TopAbs_EDGE).Current())));
      if (!lids[k].plane.Axis().IsParallel(lids[o].plane.Axis(), 1e-4) || lids[o].plane.Distance(at) > SEW) continue;
      if (BRepClass_FaceClassifier(lids[o].face, at, SEW).State() != TopAbs_IN) continue;
      parent[k] = static_cast<int>(o);
      ++lids[k].within;
    }
  std::vector<TopoDS_Shape> out;
  for (size_t k = 0; k < lids.size(); ++k) {
    if (lids[k].within % 2) continue;
    BRepBuilderAPI_MakeFace made(lids[k].face);
    for (size_t h = 0; h < lids.size(); ++h)
      if (lids[h].within % 2 && parent[h] == static_cast<int>(k)) made.Add(TopoDS::Wire(lids[h].wire.Reversed()));
    ShapeFix_Face fix(made.Face());
    fix.FixOrientation();
    out.push_back(fix.Face());
  }
  return out;
}

} // namespace

Closed close_up(const TopoDS_Shape &shape) {
  Closed out;
  out.shape = shape;
  TopTools_IndexedMapOfShape in_solids;
  for (TopExp_Explorer s(shape, TopAbs_SOLID); s.More(); s.Next())
    for (TopExp_Explorer f(s.Current(), TopAbs_FACE); f.More(); f.Next()) in_solids.Add(f.Current());
  std::vector<TopoDS_Shape> loose;
  for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next())
    if (!in_solids.Contains(f.Current())) loose.push_back(f.Current());
  if (loose.empty() || loose.size() > 5000) return out;

  BRepBuilderAPI_Sewing first(SEW);
  for (const TopoDS_Shape &f : loose) first.Add(f);
  first.Perform();
  std::vector<TopoDS_Shape> caps;
  if (first.NbFreeEdges() > 0) {
    caps = flat_caps(ShapeAnalysis_FreeBounds(first.SewedShape(), SEW).GetClosedWires());
  }
  BRepBuilderAPI_Sewing second(SEW);
  second.Add(first.SewedShape());
  for (const TopoDS_Shape &c : caps) second.Add(c);
  second.Perform();
  for (const TopoDS_Shape &c : caps) {
    const TopoDS_Shape now = second.IsModified(c) ? second.Modified(c) : c;
    for (TopExp_Explorer f(now, TopAbs_FACE); f.More(); f.Next()) out.caps.insert(f.Current().TShape().get());
  }
  BRep_Builder b;
  TopoDS_Compound all;
  b.MakeCompound(all);
  for (TopExp_Explorer s(shape, TopAbs_SOLID); s.More(); s.Next()) b.Add(all, s.Current());
  for (TopExp_Explorer s(second.SewedShape(), TopAbs_SHELL); s.More(); s.Next()) {
    TopoDS_Shell shell = TopoDS::Shell(s.Current());
    if (!BRep_Tool::IsClosed(shell)) {
      b.Add(all, shell);
      continue;
    }
    TopoDS_Solid solid = BRepBuilderAPI_MakeSolid(shell).Solid();
    BRepLib::OrientClosedSolid(solid);
    b.Add(all, solid);
    ++out.sewn;
  }
  if (out.sewn > 0) out.shape = all;
  // What stays open, so that it can be mended where it was drawn.
  if (second.NbFreeEdges() > 0) {
    const ShapeAnalysis_FreeBounds left(second.SewedShape(), SEW);
    for (const TopoDS_Shape &wires : {left.GetClosedWires(), left.GetOpenWires()})
      for (TopExp_Explorer w(wires, TopAbs_WIRE); w.More() && out.openings.size() < 6 * 100; w.Next()) {
        Bnd_Box box;
        BRepBndLib::AddOptimal(w.Current(), box, Standard_False, Standard_False);
        if (box.IsVoid()) continue;
        const gp_Pnt lo = box.CornerMin(), hi = box.CornerMax();
        for (double v : {lo.X(), lo.Y(), lo.Z(), hi.X(), hi.Y(), hi.Z()}) out.openings.push_back(v);
      }
  }
  return out;
}
} // namespace goldchip
