"""A source that changes elsewhere: followed where what was decided fits, held where it does not, never guessed."""

import numpy as np
import pytest
from PIL import Image

from tests.core.awkward import openraster
from tests.core.test_layers import flat, layer, noise
from velkin.core.icc.space import family, profile_of
from velkin.core.icc.transform import Intent
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB
from velkin.core.tags.ledger import Verb
from velkin.core.tags.pins import Pin

RGB = np.ascontiguousarray(noise()[..., :3])


@pytest.fixture
def path(tmp_path):
    return tmp_path / "a.png"


@pytest.fixture
def shoot(tmp_path):
    made = Shoot.create(tmp_path / "s.velkin", "s")
    yield made
    made.close()


def tagged(path, space, pixels=RGB, mode=None):
    image = Image.fromarray(pixels)
    (image.convert(mode) if mode else image).save(path, icc_profile=profile_of(space) if space is not None else None)


def come(shoot, path, page=0):
    (frame,) = shoot.frames.add_frames([look_at(path, page)])
    return frame


def test_other_numbers_under_the_same_tag_keep_every_decision_and_every_step(shoot, path):
    tagged(path, OPRGB)
    frame = come(shoot, path)
    shoot.colour.convert((frame,), ROMM, Intent.RELATIVE, True)
    shoot.colour.set_pins(frame, (Pin(0.5, 0.5),))
    before = shoot.state.frames[frame]
    tagged(path, OPRGB, RGB[:12])
    followed = shoot.colour.follow_source(frame, look_at(path))
    after = shoot.state.frames[frame]
    assert (followed.held, followed.refused) == ("", "")
    assert followed.differs == "36 × 12 instead of 36 × 24"
    assert (after.ledger, after.pins) == (before.ledger, before.pins) and after.digest != before.digest
    assert after.facts.height == 12
    assert shoot.undo() and shoot.undo()  # the steps before it are still there
    assert shoot.state.frames[frame].ledger == ()


def test_a_tag_that_its_ledger_was_not_decided_for_holds_it_and_one_step_takes_that_back(shoot, path):
    tagged(path, OPRGB)
    frame = come(shoot, path)
    shoot.colour.convert((frame,), ROMM, Intent.RELATIVE, True)
    tagged(path, P3)
    followed = shoot.colour.follow_source(frame, look_at(path))
    assert "ledger was decided for the one before" in followed.held and "P3" in followed.differs
    assert shoot.state.frames[frame].held and family(shoot.state.path(frame).start) == "p3"
    shoot.undo()
    assert [e.verb for e in shoot.state.frames[frame].ledger] == [Verb.CONVERT]


def test_without_a_ledger_the_intake_rules_decide_anew(shoot, path):
    tagged(path, OPRGB)
    frame = come(shoot, path)
    tagged(path, None)
    assert shoot.colour.follow_source(frame, look_at(path)).held == ""
    assert shoot.state.frames[frame].held  # untagged is held by rule
    tagged(path, SRGB)
    shoot.colour.follow_source(frame, look_at(path))
    assert not shoot.state.frames[frame].held and family(shoot.state.path(frame).here) == "srgb"


def test_another_colour_model_and_a_page_that_is_gone_are_held(shoot, tmp_path):
    path = tmp_path / "a.tif"
    pages = [Image.fromarray(RGB), Image.fromarray(255 - RGB)]
    pages[0].save(path, save_all=True, append_images=pages[1:], icc_profile=profile_of(SRGB))
    frame = come(shoot, path, 1)
    pages[0].save(path, icc_profile=profile_of(SRGB))
    assert shoot.colour.follow_source(frame, look_at(path)).held == "picture 2 is not in it any more"
    assert shoot.state.frames[frame].held and shoot.state.frames[frame].picture.page == 0
    pages[0].convert("L").save(path)
    assert shoot.colour.follow_source(frame, look_at(path)).held == "it is gray now"


def test_a_layered_source_stays_editable_under_the_same_decisions(shoot, tmp_path):
    path = tmp_path / "a.ora"
    openraster(path, layer("base"), base=flat(10, 20, 30, 255))
    frame = come(shoot, path)
    shoot.colour.convert((frame,), ROMM, Intent.RELATIVE, True)
    openraster(path, layer("mist", 'opacity="0.5"') + layer("base"), base=flat(10, 20, 30, 255), mist=flat(200, 200, 200, 255))
    followed = shoot.colour.follow_source(frame, look_at(path))
    assert followed.differs == "2 layers instead of 1" and not followed.held
    assert [e.verb for e in shoot.state.frames[frame].ledger] == [Verb.CONVERT]


def test_a_raw_frame_does_not_become_a_picture_or_one_of_another_camera(shoot, demo_frames, tmp_path):
    source = tmp_path / "a.dng"
    source.write_bytes((demo_frames / "north-0412.dng").read_bytes())
    frame = come(shoot, source)
    before = shoot.state.frames[frame]
    tagged(tmp_path / "b.png", SRGB)
    assert "finished picture now" in shoot.colour.follow_source(frame, look_at(tmp_path / "b.png")).refused
    assert shoot.state.frames[frame] is before
    assert before.facts.stamp
