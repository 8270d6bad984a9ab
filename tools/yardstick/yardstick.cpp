// Yardstick runs what Debian's packages have for four of Yarvek's tasks, so that a trial can hold one against the
// other in one run: simplifying, the convex hull, cutting a mesh into convex pieces, and an
// order of its triangles for the vertex cache.
//
//   yardstick simplify MESH OUT TRIANGLES
//   yardstick hull MESH OUT
//   yardstick decompose MESH OUT PIECES
//   yardstick order MESH OUT
//
// A mesh is a file of two 32-bit counts, of points and of triangles, the points' coordinates as 32-bit floats, and the
// triangles' corners as 32-bit numbers, all little endian. OUT has as many meshes as come of it, one behind the other.
// On standard output stands how many seconds of processor time the task alone took.
#include <cfloat>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <vector>

#include <HACD/hacdHACD.h>
#include <libqhullcpp/Qhull.h>
#include <libqhullcpp/QhullFacetList.h>
#include <libqhullcpp/QhullVertexSet.h>
#include <meshoptimizer.h>

struct Mesh {
	std::vector<float> points;
	std::vector<unsigned int> corners;
};

static void fail(const char *why) {
	fprintf(stderr, "yardstick: %s\n", why);
	exit(1);
}

static Mesh read(const char *path) {
	FILE *f = fopen(path, "rb");
	uint32_t n[2];
	if (!f || fread(n, 4, 2, f) != 2) fail("can't read the mesh");
	Mesh m;
	m.points.resize(3 * size_t(n[0]));
	m.corners.resize(3 * size_t(n[1]));
	if (fread(m.points.data(), 4, m.points.size(), f) != m.points.size() ||
		fread(m.corners.data(), 4, m.corners.size(), f) != m.corners.size())
		fail("the mesh is cut short");
	fclose(f);
	return m;
}

static void write(FILE *f, const Mesh &m) {
	uint32_t n[2] = {uint32_t(m.points.size() / 3), uint32_t(m.corners.size() / 3)};
	fwrite(n, 4, 2, f);
	fwrite(m.points.data(), 4, m.points.size(), f);
	fwrite(m.corners.data(), 4, m.corners.size(), f);
}

static double seconds() {
	timespec t;
	clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &t);
	return t.tv_sec + 1e-9 * t.tv_nsec;
}

static std::vector<Mesh> simplify(const Mesh &m, size_t triangles) {
	Mesh out{m.points, std::vector<unsigned int>(m.corners.size())};
	out.corners.resize(meshopt_simplify(out.corners.data(), m.corners.data(), m.corners.size(), m.points.data(),
		m.points.size() / 3, 12, 3 * triangles, FLT_MAX));
	return {out};
}

static std::vector<Mesh> hull(const Mesh &m) {
	std::vector<double> p(m.points.begin(), m.points.end());
	orgQhull::Qhull q("", 3, int(p.size() / 3), p.data(), "Qt");
	Mesh out{m.points, {}};
	for (auto f : q.facetList())
		for (auto v : f.vertices()) out.corners.push_back(v.point().id());
	return {out};
}

static std::vector<Mesh> decompose(const Mesh &m, size_t pieces) {
	std::vector<HACD::Vec3<HACD::Real>> points;
	std::vector<HACD::Vec3<long>> triangles;
	for (size_t i = 0; i < m.points.size(); i += 3)
		points.emplace_back(m.points[i], m.points[i + 1], m.points[i + 2]);
	for (size_t i = 0; i < m.corners.size(); i += 3)
		triangles.emplace_back(m.corners[i], m.corners[i + 1], m.corners[i + 2]);
	HACD::HACD h;
	h.SetPoints(points.data());
	h.SetNPoints(points.size());
	h.SetTriangles(triangles.data());
	h.SetNTriangles(triangles.size());
	h.SetCompacityWeight(0.0001);
	h.SetVolumeWeight(0);
	h.SetNClusters(pieces);
	h.SetNVerticesPerCH(64);
	h.SetConcavity(1e9); // as many as are asked for decide
	h.SetAddExtraDistPoints(false);
	h.SetAddFacesPoints(false);
	h.Compute();
	std::vector<Mesh> out;
	for (size_t c = 0; c < h.GetNClusters(); c++) {
		std::vector<HACD::Vec3<HACD::Real>> p(h.GetNPointsCH(c));
		std::vector<HACD::Vec3<long>> t(h.GetNTrianglesCH(c));
		h.GetCH(c, p.data(), t.data());
		Mesh piece;
		for (auto &v : p) piece.points.insert(piece.points.end(), {float(v.X()), float(v.Y()), float(v.Z())});
		for (auto &v : t) piece.corners.insert(piece.corners.end(), {unsigned(v.X()), unsigned(v.Y()), unsigned(v.Z())});
		out.push_back(piece);
	}
	return out;
}

static std::vector<Mesh> order(const Mesh &m) {
	Mesh out{m.points, std::vector<unsigned int>(m.corners.size())};
	meshopt_optimizeVertexCache(out.corners.data(), m.corners.data(), m.corners.size(), m.points.size() / 3);
	return {out};
}

int main(int n, char **arg) {
	if (n < 4) fail("expected a task, a mesh and where to write");
	Mesh m = read(arg[2]);
	size_t asked = n > 4 ? strtoul(arg[4], nullptr, 10) : 0;
	double begun = seconds();
	std::vector<Mesh> out;
	if (!strcmp(arg[1], "simplify")) out = simplify(m, asked);
	else if (!strcmp(arg[1], "hull")) out = hull(m);
	else if (!strcmp(arg[1], "decompose")) out = decompose(m, asked);
	else if (!strcmp(arg[1], "order")) out = order(m);
	else fail("knows no such task");
	printf("%.6f\n", seconds() - begun);
	FILE *f = fopen(arg[3], "wb");
	if (!f) fail("can't write");
	for (auto &o : out) write(f, o);
	return fclose(f);
}
