cdef class Columns:
    cdef public object given


cdef class GridColumns(Columns):
    cdef public double x, y, cell, per_metre
    cdef public Py_ssize_t columns, rows
    cdef public const int[::1] solid_starts, solid_walls, sheer_starts, sheer_walls
    cdef public const double[:, ::1] solid_pieces, sheer_pieces
    cdef public const double[::1] triangles
    cdef public const int[::1] triangle_walls
    cdef public const float[::1] boxes
    cdef public const int[::1] parts
    cdef public const double[::1] middle
    cdef public Py_ssize_t depth
    cdef public bint has_sheer, has_triangles
    cdef public const double[::1] see_through


cdef struct Slot:
    double[3] start, along
    double first, lean_u, lean_v, at, share, dimmed_at
    Py_ssize_t wall, dimmed_by, number
    float from_x, from_y, from_z, per_x, per_y, per_z, reach
    int near_x, near_y, near_z, node, held, most, spare


cdef class ScratchColumns(Columns):
    cdef public int[::1] waiting
    cdef public Slot[::1] slots
    cdef public Py_ssize_t[:, ::1] met
    cdef public Py_ssize_t[::1] row
    cdef public const unsigned char[:, ::1] opened


cdef class ZoneColumns(Columns):
    cdef public const double[:, ::1] circles, edges, planes, spans
    cdef public const int[::1] starts


cdef class FloorColumns(Columns):
    cdef public const double[:, ::1] planes, spans, edges
    cdef public const int[::1] starts


cdef class LinkColumns(Columns):
    cdef public const double[:, ::1] ends
    cdef public const double[::1] lengths, seconds
    cdef public const int[::1] feature


cdef class JoinColumns(Columns):
    cdef public const double[:, ::1] seams, planes
    cdef public const int[::1] leads, starts


cdef class GroundColumns(Columns):
    cdef public JoinColumns joins
    cdef public FloorColumns floors
    cdef public LinkColumns links
    cdef public const int[::1] sheets, parts, area_sheets
    cdef public const int[:, ::1] climbs
    cdef public const unsigned char[:, ::1] reach
    cdef public const double[:, ::1] corners, lengths
    cdef public const int[:, ::1] before
    cdef public const double[:, ::1] edges, inner_edges
    cdef public const int[::1] starts, inner_starts


cdef class GroundStageColumns(Columns):
    cdef public GroundColumns ground
    cdef public GridColumns grid
    cdef public ScratchColumns scratch
    cdef public double[:, ::1] room, way
