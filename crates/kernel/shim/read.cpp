// From a file or a solid to plain numbers.
#include "kernel/shim/inner.h"
#include "kernel/shim/shim.h"
#include "kernel/src/bridge.rs.h"

#include <istream>
#include <streambuf>
#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBuilderAPI_Copy.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepGProp.hxx>
#include <BRepLProp_SLProps.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <GCPnts_AbscissaPoint.hxx>
#include <GProp_GProps.hxx>
#include <Interface_Check.hxx>
#include <Interface_EntityIterator.hxx>
#include <Interface_Graph.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Printer.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <Quantity_Color.hxx>
#include <Resource_Manager.hxx>
#include <STEPConstruct.hxx>
#include <STEPConstruct_Styles.hxx>
#include <STEPControl_Controller.hxx>
#include <STEPControl_Reader.hxx>
#include <ShapeProcess_Context.hxx>
#include <StepBasic_Product.hxx>
#include <StepBasic_ProductDefinition.hxx>
#include <StepBasic_ProductDefinitionFormation.hxx>
#include <StepData_StepModel.hxx>
#include <StepRepr_PropertyDefinition.hxx>
#include <StepShape_ShapeDefinitionRepresentation.hxx>
#include <StepShape_ShapeRepresentation.hxx>
#include <StepShape_SolidModel.hxx>
#include <StepVisual_Colour.hxx>
#include <StepVisual_StyledItem.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <Transfer_TransientProcess.hxx>
#include <XSControl_TransferReader.hxx>
#include <XSControl_WorkSession.hxx>
#include <cmath>
#include <numeric>
#include <stdexcept>
#include <string>
#include <unordered_map>
#include <vector>

namespace goldchip {
void quiet() { Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer)); }


namespace {

void push(rust::Vec<double> &v, const gp_XYZ &p) {
  v.push_back(p.X());
  v.push_back(p.Y());
  v.push_back(p.Z());
}

uint8_t face_kind(const BRepAdaptor_Surface &s, rust::Vec<double> &n) {
  switch (s.GetType()) {
  case GeomAbs_Plane: {
    gp_Pln p = s.Plane();
    push(n, p.Location().XYZ());
    push(n, p.Axis().Direction().XYZ());
    return 0;
  }
  case GeomAbs_Cylinder: {
    gp_Cylinder c = s.Cylinder();
    push(n, c.Location().XYZ());
    push(n, c.Axis().Direction().XYZ());
    n.push_back(c.Radius());
    return 1;
  }
  case GeomAbs_Cone: {
    gp_Cone c = s.Cone();
    push(n, c.Location().XYZ());
    push(n, c.Axis().Direction().XYZ());
    n.push_back(c.RefRadius());
    n.push_back(0.0);
    n.push_back(c.SemiAngle());
    return 2;
  }
  case GeomAbs_Sphere: {
    gp_Sphere c = s.Sphere();
    push(n, c.Location().XYZ());
    push(n, c.Position().Direction().XYZ());
    n.push_back(c.Radius());
    return 3;
  }
  case GeomAbs_Torus: {
    gp_Torus c = s.Torus();
    push(n, c.Location().XYZ());
    push(n, c.Axis().Direction().XYZ());
    n.push_back(c.MajorRadius());
    n.push_back(c.MinorRadius());
    return 4;
  }
  default:
    return 9;
  }
}

// What the file says beside the geometry, by the shape that it belongs to wherever that is placed.
struct Notes {
  std::unordered_map<const Standard_Transient *, std::string> names;
  std::unordered_map<const Standard_Transient *, int32_t> colours;
};

std::string words(const Handle(TCollection_HAsciiString) &s) { return s.IsNull() ? std::string() : std::string(s->ToCString()); }

// What writers put where nobody gave a name.
bool says_nothing(const std::string &s) { return s.empty() || s.find("STEP translator") != std::string::npos || s == "NONE" || s == "None" || s == "none" || s == " "; }

// The product that a solid's representation belongs to.
std::string product_of(const Interface_Graph &graph, const Handle(Standard_Transient) &solid) {
  for (Interface_EntityIterator reps = graph.Sharings(solid); reps.More(); reps.Next()) {
    Handle(StepShape_ShapeRepresentation) rep = Handle(StepShape_ShapeRepresentation)::DownCast(reps.Value());
    if (rep.IsNull()) continue;
    for (Interface_EntityIterator defs = graph.Sharings(rep); defs.More(); defs.Next()) {
      Handle(StepShape_ShapeDefinitionRepresentation) sdr = Handle(StepShape_ShapeDefinitionRepresentation)::DownCast(defs.Value());
      if (sdr.IsNull()) continue;
      Handle(StepRepr_PropertyDefinition) prop = sdr->Definition().PropertyDefinition();
      if (prop.IsNull()) continue;
      Handle(StepBasic_ProductDefinition) pd = prop->Definition().ProductDefinition();
      if (pd.IsNull() || pd->Formation().IsNull() || pd->Formation()->OfProduct().IsNull()) continue;
      const std::string name = words(pd->Formation()->OfProduct()->Name());
      if (!says_nothing(name)) return name;
    }
  }
  return {};
}

Notes notes_of(const STEPControl_Reader &reader) {
  Notes out;
  Handle(XSControl_WorkSession) ws = reader.WS();
  if (ws.IsNull() || ws->TransferReader().IsNull()) return out;
  Handle(Transfer_TransientProcess) process = ws->TransferReader()->TransientProcess();
  Handle(Interface_InterfaceModel) model = ws->Model();
  if (process.IsNull() || model.IsNull()) return out;
  const Interface_Graph &graph = process->Graph();
  for (int i = 1; i <= model->NbEntities(); ++i) {
    Handle(StepShape_SolidModel) solid = Handle(StepShape_SolidModel)::DownCast(model->Value(i));
    if (solid.IsNull()) continue;
    const TopoDS_Shape shape = STEPConstruct::FindShape(process, solid);
    if (shape.IsNull()) continue;
    std::string name = product_of(graph, solid);
    if (says_nothing(name)) name = words(solid->Name());
    if (!says_nothing(name)) out.names.emplace(shape.TShape().get(), name);
  }
  STEPConstruct_Styles styles(ws);
  if (!styles.LoadStyles()) return out;
  for (int i = 1; i <= styles.NbStyles(); ++i) {
    Handle(StepVisual_StyledItem) style = styles.Style(i);
    if (style.IsNull()) continue;
    Handle(StepVisual_Colour) surface, border, curve, render;
    double transparency = 0.0;
    bool component = false;
    if (!styles.GetColors(style, surface, border, curve, render, transparency, component) || surface.IsNull()) continue;
    Quantity_Color c;
    if (!styles.DecodeColor(surface, c)) continue;
    const TopoDS_Shape shape = STEPConstruct::FindShape(process, style->Item());
    if (shape.IsNull()) continue;
    double r, g, b;
    c.Values(r, g, b, Quantity_TOC_sRGB);
    auto byte = [](double v) { return static_cast<int32_t>(std::lround(std::min(1.0, std::max(0.0, v)) * 255.0)); };
    out.colours[shape.TShape().get()] = byte(r) << 16 | byte(g) << 8 | byte(b);
  }
  return out;
}

// Of a free face, at the nodes of its mesh: largest curvature towards the outside (concave) and towards the inside (convex), and places
// with the outward normal (6 numbers each), from which the reader tells whether the face is a plane, cylinder ... that was stored as a spline.
void curvature(const BRepAdaptor_Surface &surface, const Handle(Poly_Triangulation) &t, bool reversed, RawFace &out) {
  out.concave = out.convex = 0.0;
  if (t.IsNull() || !t->HasUVNodes()) return;
  BRepLProp_SLProps props(surface, 2, 1e-9);
  const int step = std::max(1, t->NbNodes() / 4000), sparse = step * std::max(1, t->NbNodes() / step / 400);
  for (int k = 1; k <= t->NbNodes(); k += step) {
    const gp_Pnt2d uv = t->UVNode(k);
    props.SetParameters(uv.X(), uv.Y());
    if (!props.IsNormalDefined()) continue;
    // At a pole, where the lines of one parameter meet, the normal of the parametrisation means nothing.
    const double along = props.D1U().Magnitude(), across = props.D1V().Magnitude();
    const bool pole = std::min(along, across) < 1e-6 * std::max(along, across);
    if ((k - 1) % sparse == 0 && !pole) {
      push(out.samples, props.Value().XYZ());
      push(out.samples, reversed ? props.Normal().Reversed().XYZ() : props.Normal().XYZ());
    }
    if (!props.IsCurvatureDefined()) continue;
    for (double c : {props.MinCurvature(), props.MaxCurvature()}) {
      if (reversed) c = -c;
      if (!std::isfinite(c)) continue;
      out.concave = std::max(out.concave, c);
      out.convex = std::max(out.convex, -c);
    }
  }
}

// How far the surface is from the triangles, measured at their middles and the middles of their sides, mm: the mesher's word is not always kept.
double sag(const BRepAdaptor_Surface &surface, const Handle(Poly_Triangulation) &t, const TopLoc_Location &loc) {
  if (surface.GetType() == GeomAbs_Plane) return 0.0;
  if (t.IsNull() || !t->HasUVNodes()) return -1.0;
  double worst = 0.0;
  const int step = std::max(1, t->NbTriangles() / 20000);
  for (int k = 1; k <= t->NbTriangles(); k += step) {
    int n[3];
    t->Triangle(k).Get(n[0], n[1], n[2]);
    gp_XYZ p[3];
    gp_XY uv[3];
    bool pole[3];
    for (int i = 0; i < 3; ++i) {
      p[i] = t->Node(n[i]).Transformed(loc.Transformation()).XYZ();
      uv[i] = t->UVNode(n[i]).XY();
      pole[i] = false;
      if (surface.GetType() == GeomAbs_Cylinder || surface.GetType() == GeomAbs_Torus) continue;
      // At the tip of a cone one parameter means nothing, nor does the middle between it and another.
      gp_Pnt at;
      gp_Vec du, dv;
      surface.D1(uv[i].X(), uv[i].Y(), at, du, dv);
      pole[i] = std::min(du.Magnitude(), dv.Magnitude()) < 1e-6 * std::max(du.Magnitude(), dv.Magnitude());
    }
    gp_XYZ normal = (p[1] - p[0]).Crossed(p[2] - p[0]);
    const double size = normal.Modulus();
    // Slivers have no plane to speak of.
    const double longest = std::max({(p[1] - p[0]).Modulus(), (p[2] - p[1]).Modulus(), (p[0] - p[2]).Modulus()});
    if (size < 1e-3 * longest * longest || size < 1e-12) continue;
    normal /= size;
    for (int i = 0; i < 4; ++i) {
      if (i == 3 ? pole[0] || pole[1] || pole[2] : pole[i] || pole[(i + 1) % 3]) continue;
      const gp_XY at = i == 3 ? (uv[0] + uv[1] + uv[2]) / 3.0 : (uv[i] + uv[(i + 1) % 3]) / 2.0;
      worst = std::max(worst, std::abs((surface.Value(at.X(), at.Y()).XYZ() - p[0]).Dot(normal)));
    }
  }
  return worst;
}

struct Union {
  std::vector<uint32_t> parent;
  uint32_t find(uint32_t a) {
    while (parent[a] != a) a = parent[a] = parent[parent[a]];
    return a;
  }
  void join(uint32_t a, uint32_t b) {
    a = find(a);
    b = find(b);
    if (a < b) parent[b] = a;
    else parent[a] = b;
  }
};

// Mesh a shape and tell its solids, faces and edges.
void describe(const TopoDS_Shape &read, const Notes &notes, double chord_mm, double angle_rad, const Care &care, RawModel &out) {
  const Closed closed = close_up(read);
  const TopoDS_Shape &shape = closed.shape;
  out.sewn = closed.sewn;
  for (double v : closed.openings) out.openings.push_back(v);
  for (TopExp_Explorer e(shape, TopAbs_SHELL, TopAbs_SOLID); e.More(); e.Next()) ++out.loose_shells;
  out.valid = !care.heal || BRepCheck_Analyzer(shape).IsValid();
  out.chord = mesh(shape, chord_mm, angle_rad, care.sturdy);

  TopTools_IndexedMapOfShape faces;
  std::vector<uint32_t> solid_of;
  std::vector<int32_t> colour_of;
  auto colour = [&](const TopoDS_Shape &s, int32_t otherwise) {
    auto it = notes.colours.find(s.TShape().get());
    return it == notes.colours.end() ? otherwise : it->second;
  };
  for (TopExp_Explorer s(shape, TopAbs_SOLID); s.More(); s.Next()) {
    const int32_t whole = colour(s.Current(), -1);
    for (TopExp_Explorer f(s.Current(), TopAbs_FACE); f.More(); f.Next())
      if (faces.Add(f.Current()) > static_cast<int>(solid_of.size())) {
        solid_of.push_back(static_cast<uint32_t>(out.solids.size()));
        colour_of.push_back(colour(f.Current(), whole));
      }
    GProp_GProps g;
    BRepGProp::VolumeProperties(s.Current(), g);
    RawSolid solid{};
    solid.volume = g.Mass();
    auto name = notes.names.find(s.Current().TShape().get());
    if (name != notes.names.end()) solid.name = rust::String::lossy(name->second);
    out.solids.push_back(std::move(solid));
  }

  // The plain integral is some per cent off where helical splines turn often; where the triangles disagree it is refined.
  size_t number = 0;
  for (TopExp_Explorer s(shape, TopAbs_SOLID); s.More(); s.Next(), ++number) {
    double inside = 0.0;
    for (TopExp_Explorer f(s.Current(), TopAbs_FACE); f.More(); f.Next()) {
      TopLoc_Location loc;
      Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(TopoDS::Face(f.Current()), loc);
      if (t.IsNull()) continue;
      const double sense = f.Current().Orientation() == TopAbs_REVERSED ? -1.0 : 1.0;
      for (int k = 1; k <= t->NbTriangles(); ++k) {
        int a, b, c;
        t->Triangle(k).Get(a, b, c);
        const gp_XYZ p = t->Node(a).Transformed(loc.Transformation()).XYZ(), q = t->Node(b).Transformed(loc.Transformation()).XYZ(),
                     r = t->Node(c).Transformed(loc.Transformation()).XYZ();
        inside += sense * p.Dot(q.Crossed(r)) / 6.0;
      }
    }
    double &volume = out.solids[number].volume;
    if (std::abs(volume - inside) < 1e-3 * std::abs(volume)) continue;
    GProp_GProps g;
    BRepGProp::VolumeProperties(s.Current(), g, 1e-6);
    // A solid that is open has no volume of its own either way: it stays as it was, and the caller refuses it.
    if (std::abs(g.Mass() - inside) < std::abs(volume - inside)) volume = g.Mass();
  }

  std::vector<uint32_t> offset(faces.Extent() + 1, 0);
  std::vector<gp_Pnt> nodes;
  for (int i = 1; i <= faces.Extent(); ++i) {
    TopLoc_Location loc;
    Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(TopoDS::Face(faces(i)), loc);
    offset[i - 1] = static_cast<uint32_t>(nodes.size());
    if (t.IsNull()) continue;
    for (int k = 1; k <= t->NbNodes(); ++k) nodes.push_back(t->Node(k).Transformed(loc.Transformation()));
  }
  Union weld;
  weld.parent.resize(nodes.size());
  std::iota(weld.parent.begin(), weld.parent.end(), 0u);

  std::vector<uint32_t> compact(nodes.size(), UINT32_MAX);
  auto vertex = [&](uint32_t n) {
    n = weld.find(n);
    if (compact[n] == UINT32_MAX) {
      compact[n] = static_cast<uint32_t>(out.vertices.size() / 3);
      push(out.vertices, nodes[n].XYZ());
    }
    return compact[n];
  };

  std::vector<std::vector<uint32_t>> lines;
  TopTools_IndexedDataMapOfShapeListOfShape owners;
  TopExp::MapShapesAndUniqueAncestors(shape, TopAbs_EDGE, TopAbs_FACE, owners);
  for (int i = 1; i <= owners.Extent(); ++i) {
    const TopoDS_Edge &edge = TopoDS::Edge(owners.FindKey(i));
    if (BRep_Tool::Degenerated(edge)) continue;
    std::vector<uint32_t> first;
    int uses = 0;
    uint32_t fa = 0, fb = 0;
    for (const TopoDS_Shape &f : owners(i)) {
      const int idx = faces.FindIndex(f);
      if (!idx) continue;
      const TopoDS_Face &face = TopoDS::Face(faces(idx));
      const bool seam = BRep_Tool::IsClosed(edge, face);
      (uses == 0 ? fa : fb) = static_cast<uint32_t>(idx - 1);
      if (uses == 0) fb = fa;
      uses += seam ? 2 : 1;
      TopLoc_Location loc;
      Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(face, loc);
      if (t.IsNull()) continue;
      for (int turn = 0; turn < (seam ? 2 : 1); ++turn) {
        TopoDS_Edge use = edge;
        if (turn) use.Reverse();
        Handle(Poly_PolygonOnTriangulation) poly = BRep_Tool::PolygonOnTriangulation(use, t, loc);
        if (poly.IsNull()) continue;
        std::vector<uint32_t> here;
        for (int k = 1; k <= poly->NbNodes(); ++k) here.push_back(offset[idx - 1] + poly->Node(k) - 1);
        if (first.empty()) first = here;
        else if (first.size() == here.size())
          for (size_t k = 0; k < here.size(); ++k) weld.join(first[k], here[k]);
      }
    }
    if (uses == 0) continue;
    RawEdge e{};
    e.open = uses < 2;
    e.face_a = fa;
    e.face_b = fb;
    BRepAdaptor_Curve curve(edge);
    e.kind = curve.GetType() == GeomAbs_Line ? 0 : curve.GetType() == GeomAbs_Circle ? 1 : 9;
    if (e.kind == 1) {
      const gp_Circ c = curve.Circle();
      push(e.numbers, c.Location().XYZ());
      push(e.numbers, c.Axis().Direction().XYZ());
      e.numbers.push_back(c.Radius());
    }
    e.length = GCPnts_AbscissaPoint::Length(curve);
    lines.push_back(std::move(first));
    out.edges.push_back(std::move(e));
  }
  // Welding is complete only now: numbers of vertices can be given.
  for (size_t i = 0; i < lines.size(); ++i) {
    out.edges[i].first_point = static_cast<uint32_t>(out.edge_points.size());
    for (uint32_t n : lines[i]) out.edge_points.push_back(vertex(n));
    out.edges[i].point_count = static_cast<uint32_t>(lines[i].size());
  }
  for (int i = 1; i <= faces.Extent(); ++i) {
    const TopoDS_Face &face = TopoDS::Face(faces(i));
    RawFace f{};
    f.solid = solid_of[i - 1];
    f.colour = colour_of[i - 1];
    BRepAdaptor_Surface surface(face, Standard_True);
    f.kind = face_kind(surface, f.numbers);
    double u0, u1, v0, v1;
    BRepTools::UVBounds(face, u0, u1, v0, v1);
    for (double b : {u0, u1, v0, v1}) f.bounds.push_back(b);
    GProp_GProps g;
    BRepGProp::SurfaceProperties(face, g);
    f.area = g.Mass();
    f.first_triangle = static_cast<uint32_t>(out.triangles.size() / 3);
    TopLoc_Location loc;
    Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(face, loc);
    f.cap = closed.caps.count(face.TShape().get()) > 0;
    f.sag = sag(surface, t, loc);
    if (f.kind == 9) curvature(surface, t, face.Orientation() == TopAbs_REVERSED, f);
    if (!t.IsNull())
      for (int k = 1; k <= t->NbTriangles(); ++k) {
        int a, b, c;
        t->Triangle(k).Get(a, b, c);
        if (face.Orientation() == TopAbs_REVERSED) std::swap(b, c);
        const uint32_t va = vertex(offset[i - 1] + a - 1), vb = vertex(offset[i - 1] + b - 1), vc = vertex(offset[i - 1] + c - 1);
        if (va == vb || vb == vc || vc == va) continue;
        for (uint32_t v : {va, vb, vc}) out.triangles.push_back(v);
      }
    f.triangle_count = static_cast<uint32_t>(out.triangles.size() / 3) - f.first_triangle;
    out.faces.push_back(std::move(f));
  }
}

} // namespace

double plain_read(rust::Str path, double chord_mm, double angle_rad) {
  quiet();
  STEPControl_Reader reader;
  if (reader.ReadFile(std::string(path.data(), path.size()).c_str()) != IFSelect_RetDone) throw std::runtime_error("not readable");
  reader.TransferRoots();
  TopoDS_Shape shape = reader.OneShape();
  BRepMesh_IncrementalMesh(shape, chord_mm, Standard_False, angle_rad, Standard_False);
  GProp_GProps g;
  BRepGProp::VolumeProperties(shape, g);
  return g.Mass();
}

void warm_up() {
  quiet();
  STEPControl_Controller::Init();
}

RawModel read_step(rust::Slice<const uint8_t> bytes, double chord_mm, double angle_rad, Care care) {
  warm_up();
  STEPControl_Reader reader;
  // The kernel's healing looks for crossings of every two edges of a face: minutes on faces with thousands of them. The quick sequence does nothing.
  ShapeProcess_Context context;
  context.LoadResourceManager("STEP")->SetResource("Quick.exec.op", "");
  Interface_Static::SetCVal("read.step.sequence", care.heal ? "FromSTEP" : "Quick");
  Bytes buffer(bytes);
  std::istream stream(&buffer);
  if (reader.ReadStream("part.step", stream) != IFSelect_RetDone)
    throw std::runtime_error("not readable as STEP: damaged, cut off, or another format");
  Handle(StepData_StepModel) model = reader.StepModel();
  if (model.IsNull() || model->NbEntities() == 0) throw std::runtime_error("the STEP file holds no data");
  int bad = 0;
  for (int i = 1; i <= model->NbEntities(); ++i) {
    Handle(Interface_Check) c = model->Check(i, Standard_True);
    if (!c.IsNull() && c->HasFailed()) ++bad;
  }
  if (bad && !care.lax) throw std::runtime_error("STRICT " + std::to_string(bad));

  RawModel out{};
  out.lax = bad > 0;
  TColStd_SequenceOfAsciiString lengths, angles, solid_angles;
  reader.FileUnits(lengths, angles, solid_angles);
  for (int i = 1; i <= lengths.Length(); ++i) out.length_units.push_back(rust::String(lengths(i).ToCString()));
  if (reader.TransferRoots() == 0) throw std::runtime_error("nothing in the STEP file could be turned into geometry");
  TopoDS_Shape shape = reader.OneShape();
  if (shape.IsNull()) throw std::runtime_error("the STEP file holds no shape");

  describe(shape, notes_of(reader), chord_mm, angle_rad, care, out);
  return out;
}

RawModel read_solid(const Solid &solid, double chord_mm, double angle_rad, bool sturdy) {
  RawModel out{};
  // A copy without the triangles that an earlier reading may have left.
  describe(BRepBuilderAPI_Copy(solid.shape, Standard_True, Standard_False).Shape(), Notes{}, chord_mm, angle_rad, Care{false, true, sturdy}, out);
  return out;
}
} // namespace goldchip
