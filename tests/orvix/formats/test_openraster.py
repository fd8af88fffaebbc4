"""OpenRaster both ways: what it holds comes back, what it cannot is flattened and told; others read and write it."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from pyora import Project

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.effects import parse_effects
from orvix.canvases.layers import Layer
from orvix.colour.blending import MODES
from orvix.errors import UnreadableFile
from orvix.formats.openraster import MIMETYPE, OPERATORS, flattened, put_pixels, read, to_canvas, write
from orvix.pictures.writing import png_bytes, straight_8bit

SPEC = CanvasSpec(300, 270, 254.0)


def noise(seed: int, rows: int = 120, columns: int = 150):
    rng = np.random.default_rng(seed)
    px = rng.integers(0, 65536, (rows, columns, 4)).astype(np.uint16)
    px[..., :3] = np.minimum(px[..., :3], px[..., 3:])
    return px


def canvas_of(*layers: Layer, ground: str | None = None) -> Canvas:
    canvas = Canvas(CanvasSpec(SPEC.width, SPEC.height, SPEC.ppi, ground=ground))
    canvas.restack(layers)
    for n, layer in enumerate(layers):
        if layer.kind == "paint":
            put_pixels(canvas, layer.id, noise(n), 20 * n - 10, 15 * n)
        if layer.mask:
            put_pixels(canvas, layer.mask, noise(50 + n), 40, 40)
    return canvas


def test_layers_groups_names_order_opacity_and_modes_come_back_with_the_pixels():
    layers = (
        Layer(1, "Ground wash"),
        Layer(2, "Kelp", 0.5, mode="multiply"),
        Layer(3, "Floats", kind="group", mode="screen", opacity=0.75),
        Layer(4, "Cork", parent=3, visible=False),
        Layer(5, "Rope & <net>", parent=3, mode="plus-lighter"),
    )
    canvas = canvas_of(*layers)
    data, notes = write(canvas)
    assert notes == []
    told = read(data)
    assert (told.width, told.height, told.ppi) == (300, 270, 254.0)
    again = to_canvas(told)
    kept = [(one.name, one.opacity, one.visible, one.mode, one.kind, one.parent) for one in again.stack]
    assert kept == [(one.name, one.opacity, one.visible, one.mode, one.kind, one.parent) for one in layers]
    for layer in layers:
        if layer.kind == "paint":
            for key in canvas.layer_blocks(layer.id):
                was, now = canvas.layer_blocks(layer.id).get(key), again.layer_blocks(layer.id).get(key)
                assert np.array_equal(was, now)
    assert np.array_equal(canvas.pixels(), again.pixels())
    assert write(canvas)[0] == data, "the same canvas is the same file"


def test_every_mode_it_has_a_word_for_comes_back():
    for mode in OPERATORS:
        canvas = canvas_of(Layer(1, "A"), Layer(2, "B", mode=mode))
        again = to_canvas(read(write(canvas)[0]))
        assert np.array_equal(canvas.pixels(), again.pixels()), mode


def test_what_it_cannot_hold_is_flattened_and_told_and_looks_the_same():
    glow = parse_effects([{"kind": "glow", "colour": "#ffcc00", "size": 6}])
    layers = (
        Layer(1, "Paint", mask=9),
        Layer(2, "Clip", clipped=True, opacity=0.6),
        Layer(3, "Lit", effects=glow),
        Layer(4, "Burnt", mode="linear-burn"),
        Layer(5, "Above", mode="multiply"),
    )
    canvas = canvas_of(*layers, ground="#f2efe6")
    data, notes = write(canvas)
    assert len(notes) == 3
    assert flattened(canvas) == notes
    assert "Paint: flattened with its mask and the layers clipped to it" in notes
    assert "Lit: flattened with its effects" in notes
    assert any("linear-burn" in note for note in notes)
    again = to_canvas(read(data))
    assert [one.name for one in again.stack] == ["Burnt", "Above"]
    assert np.abs(again.pixels().astype(int) - canvas.pixels()).max() <= 2
    bare = to_canvas(read(write(canvas_of(*layers))[0]))
    assert np.abs(bare.pixels().astype(int) - canvas_of(*layers).pixels()).max() <= 2


@pytest.mark.slow
@pytest.mark.parametrize("mode", [mode for mode in MODES if mode not in OPERATORS])
@pytest.mark.parametrize("ground", ["#ffffff", "#7a93a8", None])
def test_a_mode_it_has_no_word_for_is_flattened_with_the_ground(mode, ground):
    stacks = {
        "alone": (Layer(1, "Low", mode=mode), Layer(2, "High", 0.7)),
        "faint": (Layer(1, "Low", 0.4, mode=mode),),
        "hidden below": (Layer(1, "Gone", visible=False), Layer(2, "Low", mode=mode)),
        "in a group": (Layer(1, "Group", kind="group", mode=mode), Layer(2, "In", parent=1, mode=mode)),
    }
    for what, layers in stacks.items():
        canvas = canvas_of(*layers, ground=ground)
        data, notes = write(canvas)
        again = to_canvas(read(data))
        assert np.abs(again.pixels().astype(int) - canvas.pixels()).max() <= 2, what
        assert any(mode in note and ("with Ground" in note or "as normal" in note or "Gone" in note) for note in notes)
        assert flattened(canvas) == notes


def test_a_hidden_layer_of_such_a_mode_stays_a_hidden_layer():
    canvas = canvas_of(Layer(1, "Low"), Layer(2, "Off", visible=False, mode="subtract"), ground="#ffffff")
    again = to_canvas(read(write(canvas)[0]))
    assert [(one.name, one.visible) for one in again.stack] == [("Ground", True), ("Low", True), ("Off", False)]
    assert np.array_equal(again.pixels(), canvas.pixels())


def test_another_library_reads_the_layers_and_the_pixels():
    layers = (Layer(1, "Low"), Layer(2, "High", 0.25, mode="multiply"))
    canvas = canvas_of(*layers)
    project = Project.load(io.BytesIO(write(canvas)[0]))
    assert project.dimensions == (300, 270)
    found = list(project.children)
    assert [one.name for one in found] == ["High", "Low"] or [one.name for one in found] == ["Low", "High"]
    by_name = {one.name: one for one in found}
    assert float(by_name["High"].opacity) == 0.25
    assert "multiply" in by_name["High"].composite_op
    seen = np.asarray(by_name["Low"].get_image_data(raw=False).convert("RGBA"))
    alone = Canvas(CanvasSpec(150, 120, ground=None))
    put_pixels(alone, 1, noise(0), -10, 0)
    want = straight_8bit(alone.pixels())
    assert np.abs(seen[:120, :150, 3].astype(int) - want[..., 3]).max() <= 1
    assert np.abs(seen[:120, :150].astype(int) - want)[want[..., 3] == 255].max() <= 1


def test_a_file_that_another_library_wrote_opens(tmp_path):
    from PIL import Image

    project = Project.new(120, 90)
    for n, name in enumerate(("Low", "High")):
        px = straight_8bit(noise(n, 60, 80))
        project.add_layer(Image.fromarray(px), name, z_index=n + 1, offsets=(5 * n, 7 * n))
    path = tmp_path / "theirs.ora"
    project.save(str(path))
    told = read(path.read_bytes(), "theirs.ora")
    assert (told.width, told.height) == (120, 90)
    assert sorted(one.name for one in told.nodes) == ["High", "Low"]
    assert to_canvas(told).pixels().any()


def zipped(stack: str, *, mimetype: str = MIMETYPE, more: dict[str, bytes] | None = None) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr("mimetype", mimetype)
        file.writestr("stack.xml", stack)
        for name, data in (more or {}).items():
            file.writestr(name, data)
    return out.getvalue()


PNG = png_bytes(np.zeros((4, 4, 4), np.uint8))
LAYER = '<layer name="A" src="data/a.png"/>'


def image(inside: str, size: str = 'w="10" h="10"') -> str:
    return f"<image {size}><stack>{inside}</stack></image>"


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"MZ\x90\x00" * 40, "not an OpenRaster file"),
        (zipped(image(LAYER), mimetype="image/png", more={"data/a.png": PNG}), "is not an OpenRaster file"),
        (zipped(image(LAYER)), "damaged"),
        (zipped(image(LAYER), more={"data/a.png": b"not a picture"}), "not a picture"),
        (zipped(image(LAYER), more={"../a.png": PNG}), "outside"),
        (zipped(image(LAYER, 'w="99999" h="1"'), more={"data/a.png": PNG}), "16384"),
        (zipped(image(LAYER, 'w="nan" h="1"'), more={"data/a.png": PNG}), "must be a number"),
        (zipped(image(""), more={}), "no layer"),
        (zipped("<image"), "no XML"),
        (zipped('<!DOCTYPE a [<!ENTITY b "c">]><image>&b;</image>'), "no XML"),
        (zipped(image("<stack>" * 12 + LAYER + "</stack>" * 12), more={"data/a.png": PNG}), "deep"),
        (zipped(image(LAYER * 200), more={"data/a.png": PNG}), "more than"),
        (zipped(image(LAYER), more={f"x{n}": b"" for n in range(1100)}), "entries"),
        (zipped(image(LAYER), more={"data/a.png": bytes(8 << 20)}), "times its size"),
        (zipped(image('<layer src="data/a.png" opacity="thick"/>'), more={"data/a.png": PNG}), "opacity"),
    ],
)  # fmt: skip
def test_hostile_and_broken_files_are_refused_with_the_rule(data, words):
    with pytest.raises(UnreadableFile, match=words) as refused:
        read(data, "bad.ora")
    assert "bad.ora" in str(refused.value)
