"""Models of wound components against finite differences, exact fields and closed forms."""

import itertools
import math
import unittest

import numpy as np
from scipy.sparse import csr_array, diags_array, eye_array, kron
from scipy.sparse.linalg import spsolve

from jump_lane.catalogue.load import sample_materials
from jump_lane.catalogue.magnetic import Core, CoreMaterial, Wire
from jump_lane.equations.steinmetz import Steinmetz, loss_density
from jump_lane.magnetics.copper import (
    field_squares,
    fields_of,
    plain_fields,
    resistance_matrix,
    still_resistances,
    window_of,
)
from jump_lane.magnetics.design import Winding, Wound, portions
from jump_lane.magnetics.eddy import of_round, resistance, strip, wire
from jump_lane.magnetics.layers import layers_of
from jump_lane.magnetics.magnetisation import flux_curve, flux_density, permeability
from jump_lane.magnetics.reluctance import Gap, fringing, gap_for, inductance
from jump_lane.magnetics.window import Block, Window
from jump_lane.quantities.copper import MU_0, resistivity
from jump_lane.quantities.copper import skin_depth as depth

SAMPLES = sample_materials()


def core(name: str) -> Core:
    found = SAMPLES[name]
    assert isinstance(found, Core)
    return found


def material(name: str) -> CoreMaterial:
    found = SAMPLES[name]
    assert isinstance(found, CoreMaterial)
    return found


def wires(name: str) -> Wire:
    found = SAMPLES[name]
    assert isinstance(found, Wire)
    return found


def second(count: int, step: float, ends: str = "free") -> csr_array:
    """Return −d²/dx² on cell centres with walls that let no field along them pass (or that hold zero)."""
    main = np.full(count, 2.0)
    main[[0, -1]] = 1.0 if ends == "free" else 3.0
    off = -np.ones(count - 1)
    return csr_array(diags_array([off, main, off], offsets=[-1, 0, 1]) / step**2)


def potential(width: float, height: float, current: np.ndarray) -> np.ndarray:
    """Return A/μ0 of a current density on cells between walls of infinite permeability, (x, y)."""
    nx, ny = current.shape
    dx, dy = width / nx, height / ny
    grid = kron(second(nx, dx), eye_array(ny)) + kron(eye_array(nx), second(ny, dy))
    matrix = csr_array(grid) + csr_array(eye_array(nx * ny)) * 1e-9 / (width * height)
    return np.asarray(spsolve(matrix.tocsc(), (current - current.mean()).ravel())).reshape(nx, ny)


class Strips(unittest.TestCase):
    """A strip in the field of its neighbours is exact in one dimension."""

    def loss(self, h: float, low: complex, high: complex, f: float, rho: float, cells: int) -> float:
        """Return the loss per area of a strip between two peak fields by finite differences of the diffusion equation."""
        dx, omega = h / cells, 2.0 * math.pi * f
        x = np.linspace(0.0, h, cells + 1)
        inner = diags_array(
            [
                np.ones(cells - 2),
                np.full(cells - 1, -2.0 - 1j * omega * MU_0 / rho * dx**2),
                np.ones(cells - 2),
            ],
            offsets=[-1, 0, 1],
        )
        right = np.zeros(cells - 1, complex)
        right[0], right[-1] = -low, -high
        field = np.concatenate([[low], spsolve(inner.tocsc(), right), [high]])
        density = np.diff(field) / dx
        del x
        return float(0.5 * rho * dx * np.sum(np.abs(density) ** 2))

    def test_any_fields_on_both_sides(self) -> None:
        rho = float(resistivity(80.0))
        for h, f in ((0.1e-3, 100e3), (0.4e-3, 100e3), (0.4e-3, 1e6)):
            for low, high in ((0.0, 900.0), (1200.0, 900.0 * np.exp(1.2j)), (-300.0, 300.0)):
                coarse, fine = (self.loss(h, complex(low), complex(high), f, rho, n) for n in (1000, 2000))
                expected = fine + (fine - coarse) / 3.0
                own, field = strip(1.0, h, 1.0, f, rho)
                found = 0.5 * (own * abs(high - low) ** 2 + field * abs(0.5 * (high + low)) ** 2)
                self.assertLess(abs(found / expected - 1.0), 1e-6)

    def test_thin_ones_and_direct_current(self) -> None:
        rho = float(resistivity(20.0))
        own, field = strip(0.02, 0.3e-3, 1.0, np.array([0.0, 100.0]), rho)
        self.assertAlmostEqual(own[0], 0.02 * rho / 0.3e-3, delta=1e-9 * own[0])
        thin = 2.0 * 0.02 * rho / float(depth(100.0, rho)) * (0.3e-3 / float(depth(100.0, rho))) ** 3 / 6.0
        self.assertAlmostEqual(field[1], thin, delta=1e-3 * thin)

    def test_a_round_wire_alone_is_exact(self) -> None:
        """Skin effect by the diffusion equation in a cylinder; a transverse field on a thin wire by its closed form."""
        rho, f, d, cells = float(resistivity(25.0)), 200e3, 0.8e-3, 4000
        dr = 0.5 * d / cells
        r = (np.arange(cells) + 0.5) * dr
        faces = np.arange(1, cells) * dr
        upper, lower = faces / r[:-1], faces / r[1:]
        main = np.zeros(cells, complex) - 1j * 2.0 * math.pi * f * MU_0 / rho * dr**2
        main[:-1] -= upper
        main[1:] -= lower
        right = np.zeros(cells, complex)
        edge = (cells * dr) / r[-1] * 2.0
        main[-1] -= edge
        right[-1] = -edge
        field = spsolve(diags_array([lower, main, upper], offsets=[-1, 0, 1]).tocsc(), right)
        total = np.sum(field * 2.0 * math.pi * r * dr)
        expected = (
            np.sum(np.abs(field) ** 2 * 2.0 * math.pi * r * dr) / abs(total) ** 2 * (math.pi / 4.0 * d**2)
        )
        skin, _ = wire(d, f, rho)
        self.assertLess(abs(float(skin) / expected - 1.0), 1e-4)
        _, thin = wire(0.05e-3, f, rho)
        closed = math.pi * (2.0 * math.pi * f * MU_0) ** 2 * (0.05e-3) ** 4 / (128.0 * rho)
        self.assertLess(abs(float(thin) / closed - 1.0), 1e-3)

    def test_the_lower_of_two_bounds_is_taken(self) -> None:
        rho = float(resistivity(25.0))
        own, field = of_round(0.02, 20.0, 0.9e-3, 300e3, rho)
        skin, transverse = wire(0.9e-3, 300e3, rho)
        bounds = 0.02**2 / 20.0 * resistance(0.9e-3, rho) * skin, 40.0 * transverse
        self.assertLessEqual(float(own), float(bounds[0]) * (1.0 + 1e-12))
        self.assertLessEqual(float(field), float(bounds[1]) * (1.0 + 1e-12))


def blocks() -> list[list[Block]]:
    """Return arrangements: two, three windings, interleaved, and of different heights."""
    mm = 1e-3
    full = (1.0 * mm, 19.0 * mm)
    return [
        [Block(0, 1.0 * mm, 2.5 * mm, *full, 20.0), Block(1, 3.0 * mm, 4.5 * mm, *full, 5.0)],
        [Block(0, 1.0 * mm, 2.0 * mm, *full, 20.0), Block(1, 2.5 * mm, 3.5 * mm, *full, 5.0), Block(2, 4.0 * mm, 4.5 * mm, *full, 3.0)],
        [Block(0, 1.0 * mm, 2.0 * mm, *full, 10.0), Block(1, 2.25 * mm, 3.5 * mm, *full, 5.0), Block(0, 3.75 * mm, 4.75 * mm, *full, 10.0)],
        [Block(0, 1.0 * mm, 2.5 * mm, 1.0 * mm, 19.0 * mm, 20.0), Block(1, 3.0 * mm, 4.5 * mm, 4.0 * mm, 16.0 * mm, 5.0)],
    ]  # fmt: skip


class Fields(unittest.TestCase):
    WIDTH, HEIGHT = 6e-3, 20e-3

    def energy(self, arrangement: list[Block], currents: list[float], nx: int, ny: int) -> float:
        """Return 2·W' [J/m] by finite differences."""
        density = np.zeros((nx, ny))
        x = (np.arange(nx) + 0.5) * self.WIDTH / nx
        y = (np.arange(ny) + 0.5) * self.HEIGHT / ny
        for b in arrangement:
            inside = np.outer((x > b.x_0) & (x < b.x_1), (y > b.y_0) & (y < b.y_1))
            density[inside] += b.turns * currents[b.winding] / ((b.x_1 - b.x_0) * (b.y_1 - b.y_0))
        a = potential(self.WIDTH, self.HEIGHT, density)
        return float(MU_0 * np.sum(a * density) * self.WIDTH / nx * self.HEIGHT / ny)

    def test_energy_of_two_three_interleaved_and_uneven_windings(self) -> None:
        for arrangement in blocks():
            count = 1 + max(b.winding for b in arrangement)
            turns = [sum(b.turns for b in arrangement if b.winding == k) for k in range(count)]
            currents = (
                [1.0, -turns[0] / turns[1]]
                if count == 2
                else [1.0, -2.5, -(turns[0] - 2.5 * turns[1]) / turns[2]]
            )
            self.assertAlmostEqual(sum(t * i for t, i in zip(turns, currents, strict=True)), 0.0)
            found = (
                np.array(currents)
                @ Window(self.WIDTH, self.HEIGHT, arrangement, count).energy()
                @ np.array(currents)
            )
            expected = self.energy(arrangement, currents, 240, 400)
            self.assertLess(abs(found / expected - 1.0), 0.01)

    def test_one_dimension_where_windings_fill_the_height(self) -> None:
        mm = 1e-3
        arrangement = [
            Block(0, 1 * mm, 2 * mm, 0.0, self.HEIGHT, 12.0),
            Block(1, 3 * mm, 5 * mm, 0.0, self.HEIGHT, 6.0),
        ]
        matrix = Window(self.WIDTH, self.HEIGHT, arrangement, 2, terms=400).energy()
        found = np.array([1.0, -2.0]) @ matrix @ np.array([1.0, -2.0])
        expected = MU_0 * 12.0**2 / self.HEIGHT * (1 * mm / 3.0 + 1 * mm + 2 * mm / 3.0)
        self.assertLess(abs(found / expected - 1.0), 1e-3)

    def test_the_field_beside_a_gap(self) -> None:
        """H² over a layer near a gap, against finite differences with the gap as a sheet in the first cells."""
        mm = 1e-3
        gap = (9.6 * mm, 10.4 * mm)
        layer = Block(0, 1.0 * mm, 1.6 * mm, 1.0 * mm, 19.0 * mm, 30.0)
        nx, ny = 300, 500
        x, y = (np.arange(nx) + 0.5) * self.WIDTH / nx, (np.arange(ny) + 0.5) * self.HEIGHT / ny
        density = np.zeros((nx, ny))
        density[np.outer((x > layer.x_0) & (x < layer.x_1), (y > layer.y_0) & (y < layer.y_1))] = 30.0 / (
            0.6 * mm * 18.0 * mm
        )
        density[0, (y > gap[0]) & (y < gap[1])] = -30.0 / (self.WIDTH / nx) / (gap[1] - gap[0])
        a = potential(self.WIDTH, self.HEIGHT, density)
        h_x, h_y = np.gradient(a, self.HEIGHT / ny, axis=1), -np.gradient(a, self.WIDTH / nx, axis=0)
        row = int(np.argmin(np.abs(x - 1.3 * mm)))
        inside = (y > layer.y_0) & (y < layer.y_1)
        expected = float(np.mean(h_x[row, inside] ** 2 + h_y[row, inside] ** 2))
        window = Window(self.WIDTH, self.HEIGHT, [layer], 1, [gap])
        at = y[inside]
        found_x, found_y = window.field(np.full(len(at), x[row]), at)
        self.assertLess(abs(float(np.mean(found_x**2 + found_y**2)) / expected - 1.0), 0.03)
        plain = (0.5 * 30.0 / (18.0 * mm)) ** 2
        self.assertGreater(expected, 2.0 * plain)

    def test_wires_beside_a_gap_in_two_dimensions(self) -> None:
        """Round wires in one layer beside a gap against the diffusion equation on a grid, each wire with its current."""
        width, height, f, d, count = 4e-3, 10e-3, 60e3, 0.5e-3, 12
        rho, gap = float(resistivity(60.0)), (4.8e-3, 5.2e-3)
        nx, ny = 160, 400
        dx, dy = width / nx, height / ny
        x, y = (np.arange(nx) + 0.5) * dx, (np.arange(ny) + 0.5) * dy
        centre, pitch = 0.9e-3, height / count
        at = (np.arange(count) + 0.5) * pitch
        grid = kron(second(nx, dx), eye_array(ny)) + kron(eye_array(nx), second(ny, dy))
        source = np.zeros((nx, ny))
        source[0, (y > gap[0]) & (y < gap[1])] = -count / dx / (gap[1] - gap[0])
        inside = [
            np.flatnonzero(((x[:, None] - centre) ** 2 + (y[None, :] - y_0) ** 2 < (d / 2) ** 2).ravel())
            for y_0 in at
        ]
        omega = 2.0 * math.pi * f
        eddy = np.zeros(nx * ny, complex)
        columns = np.zeros((nx * ny, count))
        for k, cells in enumerate(inside):
            eddy[cells] = 1j * omega * MU_0 / rho
            columns[cells, k] = 1.0
        # unknowns: A/μ0 on every cell and E/ρ of every wire, whose currents are 1 A each
        full = csr_array(grid) + diags_array(eddy)
        from scipy.sparse.linalg import splu

        solve = splu(full.tocsc().astype(complex)).solve
        base, per = solve(source.ravel().astype(complex)), solve(columns.astype(complex))
        area = dx * dy
        lhs = np.array(
            [
                [
                    area * (len(inside[j]) * (j == k) - np.sum(eddy[inside[j]] * per[inside[j], k]))
                    for k in range(count)
                ]
                for j in range(count)
            ]
        )
        rhs = np.array([1.0 + area * np.sum(eddy[inside[j]] * base[inside[j]]) for j in range(count)])
        drive = np.linalg.solve(lhs, rhs)
        potential_ = base + per @ drive
        expected = 0.0
        for j, cells in enumerate(inside):
            density = drive[j] - eddy[cells] * potential_[cells]
            expected += 0.5 * rho * area * float(np.sum(np.abs(density) ** 2))
        block = Block(0, centre - d / 2, centre + d / 2, 0.0, height, count)
        h_x, h_y = Window(width, height, [block], 1, [gap], terms=80).field(np.full(count, centre), at)
        own, field = of_round(height, float(count), d, f, rho)
        found = 0.5 * float(own * (count / height) ** 2 + field * np.mean(h_x**2 + h_y**2))
        plain = 0.5 * float(own * (count / height) ** 2 + field * (0.5 * count / height) ** 2)
        self.assertLess(plain, 0.75 * expected)
        self.assertLess(abs(found / expected - 1.0), 0.10)


class Gapped(unittest.TestCase):
    def test_fringing_of_a_gap_in_a_plane(self) -> None:
        """Permeance of a gap between two legs by finite differences of the scalar potential beside it."""
        leg, side, reach = 10e-3, 8e-3, 10e-3
        for gap in (0.5e-3, 1.0e-3, 2.0e-3):
            step = gap / 20.0
            nx, ny = round(reach / step), round((side + 0.5 * gap) / step)
            # half of the field: x from the leg's side outwards, y from the plane of symmetry (potential 0) to the end of the leg
            number = nx * ny
            rows, cols, values, right = [], [], [], np.zeros(number)
            leg_from = round(0.5 * gap / step)
            for i in range(nx):
                for j in range(ny):
                    k, main = i * ny + j, 0.0
                    for di, dj in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                        a, b = i + di, j + dj
                        if b < 0:
                            main += 2.0
                        elif a < 0:
                            if j >= leg_from:  # the side of the leg, potential 1
                                main += 2.0
                                right[k] += 2.0
                        elif a < nx and b < ny:
                            rows.append(k)
                            cols.append(a * ny + b)
                            values.append(-1.0)
                            main += 1.0
                    rows.append(k)
                    cols.append(k)
                    values.append(main)
            matrix = csr_array((values, (rows, cols)), shape=(number, number))
            u = np.asarray(spsolve(matrix.tocsc(), right)).reshape(nx, ny)
            bulging = 2.0 * np.sum(
                2.0 * u[:, 0]
            )  # flux through the plane, both sides of the leg, per unit of potential
            permeance = 0.5 * (leg / gap * 2.0 + bulging)
            sigma = leg / gap / permeance
            self.assertLess(abs(float(fringing(leg, gap, side)) / sigma - 1.0), 0.06, gap)

    def test_the_gap_of_an_inductance(self) -> None:
        for name, number, place in (
            ("ETD 34/17/11", 1, "leg"),
            ("E 25/13/7", 1, "spacer"),
            ("PQ 26/25", 3, "leg"),
        ):
            if name not in SAMPLES:
                name = "PQ 20/20"
            one, turns = core(name), np.array([10, 20, 30])
            length = gap_for(one, 2300.0, turns, 40e-6, number, place)  # type: ignore[arg-type]
            for n, g in zip(turns, length, strict=True):
                gap = Gap(float(g), number, place)  # type: ignore[arg-type]
                self.assertLess(abs(float(inductance(one, 2300.0, gap, int(n))) / 40e-6 - 1.0), 1e-4)

    def test_without_a_gap_it_is_that_of_effective_figures(self) -> None:
        for name in ("ETD 34/17/11", "R 16/9.6/6.3", "E 20/10/6"):
            one = core(name)
            expected = MU_0 * 2300.0 * 20**2 * one.area / one.path
            self.assertLess(abs(float(inductance(one, 2300.0, Gap(), 20)) / expected - 1.0), 5e-3)

    def test_flux_over_current(self) -> None:
        """Currents from a loop that is solved point by point, instead of going through H."""
        from scipy.optimize import brentq

        one, ferrite, gap = core("ETD 34/17/11"), material("sample-ferrite-medium"), Gap(0.8e-3)
        curve = flux_curve(one, ferrite, gap, 25, 100.0)
        mu = permeability(ferrite, 100.0)
        self.assertLess(abs(curve.inductance / float(inductance(one, mu, gap, 25)) - 1.0), 1e-3)
        from jump_lane.magnetics.reluctance import gap_reluctance

        r = float(gap_reluctance(one, gap.length))

        def drive(h: float) -> float:
            return h * one.path + float(flux_density(ferrite, np.array([h]), 100.0)[0]) * one.area * r

        for i in (2.0, 6.0, 9.0, 12.0):
            h = brentq(lambda h, i=i: drive(h) - 25 * i, 0.0, 1e6)  # type: ignore[misc]
            linkage = 25 * one.area * float(flux_density(ferrite, np.array([h]), 100.0)[0])
            self.assertLess(abs(curve.linkage_at(i) / linkage - 1.0), 1e-3)
        left = curve.left()
        at = np.linspace(0.0, 1.3 * curve.saturation_current, 300)
        pieces = np.interp(at, *zip(*left, strict=True))
        exact = np.interp(at, curve.current, curve.incremental) / curve.inductance
        self.assertLess(float(np.abs(pieces - exact).max()), 0.03)
        flux = np.concatenate([[0.0], np.cumsum(0.5 * (pieces[1:] + pieces[:-1]) * np.diff(at))])
        true = np.interp(at, curve.current, curve.linkage) / curve.inductance
        self.assertLess(float(np.abs(flux - true).max() / true[-1]), 0.015)

    def test_powder_is_the_integral_of_its_permeability(self) -> None:
        powder = material("sample-powder-60")
        h = np.linspace(0.0, 9000.0, 9001)
        mu = 60.0 / (powder.bias_offset + powder.bias_factor * h**powder.bias_exponent)
        expected = MU_0 * np.concatenate([[0.0], np.cumsum(0.5 * (mu[1:] + mu[:-1]))])
        found = flux_density(powder, h, 25.0)
        self.assertLess(float(np.abs(found - expected).max() / expected.max()), 2e-3)


def flyback() -> Wound:
    """Return a primary in two halves around a secondary."""
    windings = (Winding("Np", 24, wires("round 0.400")), Winding("Ns", 6, wires("round 0.630"), 2))
    order = portions([(0, 0.5), (1, 1.0), (0, 0.5)], (24, 6))
    gap = Gap(0.4e-3)
    return Wound(
        core("ETD 34/17/11"), material("sample-ferrite-medium"), gap, windings, order, None, 0.0, 0.1e-3
    )


class Windings(unittest.TestCase):
    def test_layers_hold_all_turns_in_order(self) -> None:
        layers, build = layers_of(flyback())
        for k, turns in enumerate((24, 6)):
            self.assertEqual(sum(layer.turns for layer in layers if layer.winding == k), turns)
        self.assertTrue(all(a.x < b.x for a, b in itertools.pairwise(layers)))
        outer = [flyback().windings[layer.winding].outer for layer in layers]
        self.assertAlmostEqual(build, sum(outer) + 2 * 0.1e-3)

    def test_direct_current_sees_copper_alone(self) -> None:
        made = flyback()
        layers, _ = layers_of(made)
        r = resistance_matrix(made, layers, fields_of(made, layers), np.array([0.0]), 20.0)[0]
        np.testing.assert_allclose(still_resistances(made, layers, 20.0), np.diagonal(r), rtol=1e-6)
        for k, winding in enumerate(made.windings):
            length = sum(a.turns * a.mean_turn for a in layers if a.winding == k)
            assert winding.wire.diameter is not None
            expected = float(resistance(winding.wire.diameter, resistivity(20.0))) * length / winding.parallel
            self.assertLess(abs(r[k, k] / expected - 1.0), 1e-6)
        self.assertLess(abs(r[0, 1]), 1e-6 * r[0, 0])

    def test_currents_of_both_windings_count_with_their_phases(self) -> None:
        """In phase opposition (a transformer) the windings shield each other; one after the other (a flyback) they do not."""
        made = flyback()
        layers, _ = layers_of(made)
        r = resistance_matrix(made, layers, fields_of(made, layers, exact=False), np.array([300e3]), 80.0)[0]
        losses = []
        for phase in (math.pi, 0.5 * math.pi):
            i = np.array([1.0, 4.0 * np.exp(1j * phase)])
            losses.append(0.5 * float(np.real(i.conj() @ r @ i)))
        self.assertGreater(losses[1], 1.2 * losses[0])
        self.assertTrue(np.all(np.linalg.eigvalsh(r) > 0.0))

    def test_plain_fields_end_at_zero_or_half(self) -> None:
        made = flyback()
        layers, _ = layers_of(made)
        across, middle = plain_fields(layers, 2, 1.0)
        total = across.sum(0)
        self.assertTrue(np.allclose(middle[0] - 0.5 * across[0], -total))
        self.assertTrue(np.allclose(middle[-1] + 0.5 * across[-1], 0.0))
        self.assertTrue(np.allclose(plain_fields(layers, 2, 0.5)[1][0] - 0.5 * across[0], -0.5 * total))

    def test_two_dimensions_are_one_far_from_gaps_and_ends(self) -> None:
        """Without a gap and without room at the ends both fields of a balanced pair agree."""
        from dataclasses import replace

        made = replace(flyback(), gap=Gap())
        layers, _ = layers_of(made)
        _, middle = plain_fields(layers, 2, 1.0)
        exact = field_squares(made, layers)
        i = np.array([1.0, -4.0])
        for k in range(len(layers)):
            self.assertLess(
                abs(float(i @ exact[k] @ i) - float(middle[k] @ i) ** 2),
                0.02 * 24**2 / layers[0].breadth ** 2,
            )

    def test_leakage_falls_when_windings_are_interleaved(self) -> None:
        from dataclasses import replace

        halves = flyback()
        stacked = replace(halves, order=portions([(0, 1.0), (1, 1.0)], (24, 6)))
        found = []
        for made in (stacked, halves):
            layers, _ = layers_of(made)
            i = np.array([1.0, -4.0])
            found.append(float(i @ window_of(made, layers).energy() @ i))
        self.assertLess(found[1], 0.45 * found[0])


class InTime(unittest.TestCase):
    """Currents of two windings that flow one after the other, against diffusion through their layers in time."""

    THICK, APART, BREADTH, PERIOD, CELLS, STEPS = 0.4e-3, 0.1e-3, 20e-3, 10e-6, 60, 4000

    def currents(self, t: np.ndarray) -> np.ndarray:
        """Return trapezoids of a flyback, primary in the first 40 %, secondary in the rest; edges take 1 % of the period."""
        x = t / self.PERIOD % 1.0
        one = np.interp(x, [0.0, 0.01, 0.4, 0.41, 1.0], [0.0, 0.5, 1.0, 0.0, 0.0])
        two = np.interp(x, [0.0, 0.01, 0.4, 0.41, 1.0], [-0.5, 0.0, 0.0, -1.0, -0.5])
        return np.array([one, two])

    def diffused(self, layers: list[tuple[int, int]], rho: float) -> float:
        """Return the loss per metre of turn: in each layer the field obeys dH/dt = ρ/μ0·d²H/dx² between those at its faces.

        The gap is in the leg: before the first layer the field is that of all ampere-turns, behind the last one there is none.
        """
        dt, dx = self.PERIOD / self.STEPS, self.THICK / self.CELLS
        t = np.arange(3 * self.STEPS + 1) * dt
        i = self.currents(t)
        turns = np.array([[n if w == k else 0 for k in (0, 1)] for w, n in layers], float)
        face = (np.cumsum(turns, axis=0) - turns.sum(0)) @ i / self.BREADTH
        start = -turns.sum(0) @ i / self.BREADTH
        faces = np.vstack([start, face])
        n, total = self.CELLS - 1, 0.0
        a = rho / MU_0 * dt / dx**2
        second_ = diags_array([np.ones(n - 1), np.full(n, -2.0), np.ones(n - 1)], offsets=[-1, 0, 1])
        from scipy.sparse.linalg import splu

        lhs, rhs = splu((eye_array(n) - 0.5 * a * second_).tocsc()), eye_array(n) + 0.5 * a * second_
        for k in range(len(layers)):
            low, high = faces[k], faces[k + 1]
            h = np.linspace(low[0], high[0], self.CELLS + 1)[1:-1]
            loss = 0.0
            for s in range(len(t) - 1):
                edge = np.zeros(n)
                edge[0], edge[-1] = 0.5 * a * (low[s] + low[s + 1]), 0.5 * a * (high[s] + high[s + 1])
                h = lhs.solve(rhs @ h + edge)
                if s >= 2 * self.STEPS:
                    whole = np.concatenate([[low[s + 1]], h, [high[s + 1]]])
                    loss += rho * dx * float(np.sum((np.diff(whole) / dx) ** 2)) * dt
            total += loss / self.PERIOD * self.BREADTH
        return total

    def test_a_flyback_in_time(self) -> None:
        from jump_lane.magnetics.eddy import strip

        rho = float(resistivity(60.0))
        layers = [(0, 10), (0, 10), (1, 5)]
        t = np.linspace(0.0, self.PERIOD, 4001)
        i = self.currents(t)
        spectrum = np.array([np.fft.rfft(row[:-1])[:401] / 2000.0 for row in i])
        direct, peaks = spectrum[:, 0].real / 2.0, spectrum[:, 1:]
        turns = np.array([[n if w == k else 0 for k in (0, 1)] for w, n in layers], float)
        middle = (np.cumsum(turns, axis=0) - 0.5 * turns - turns.sum(0)) / self.BREADTH
        f = np.arange(1, 401) / self.PERIOD
        own, field = strip(self.BREADTH, self.THICK, 1.0, f, rho)
        found = 0.0
        for k in range(len(layers)):
            across, mean = turns[k] / self.BREADTH, middle[k]
            found += 0.5 * float(
                np.sum(own * np.abs(across @ peaks) ** 2 + field * np.abs(mean @ peaks) ** 2)
            )
            found += self.BREADTH * rho / self.THICK * float(across @ direct) ** 2
        self.assertLess(abs(found / self.diffused(layers, rho) - 1.0), 5e-3)


class CoreLoss(unittest.TestCase):
    def test_sine_triangle_and_trapezoid(self) -> None:
        """Straight pieces against quadrature of the integral, a sine in 64 of them within 0.1 %."""
        one = Steinmetz(2.5, 1.4, 2.5)
        t = np.linspace(0.0, 1e-5, 65)
        sine = 0.1 * np.sin(2.0 * math.pi * t / 1e-5)
        expected = 2.5 * 1e5**1.4 * 0.1**2.5
        self.assertLess(abs(loss_density(one, t, sine) / expected - 1.0), 1e-3)
        for duty in (0.2, 0.5):
            flux = np.array([-0.1, 0.1, -0.1])
            found = loss_density(one, np.array([0.0, duty * 1e-5, 1e-5]), flux)
            slopes = [0.2 / (duty * 1e-5), 0.2 / ((1.0 - duty) * 1e-5)]
            whole = one.constant * 0.2**1.1 * (duty * slopes[0] ** 1.4 + (1.0 - duty) * slopes[1] ** 1.4)
            self.assertLess(abs(found / whole - 1.0), 1e-9)


if __name__ == "__main__":
    unittest.main()
