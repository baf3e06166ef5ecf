"""The pages of the catalogue are current, and every kind's picture shows what it does now."""

import numpy as np
import pytest
from PIL import Image

from docs import beads as pages
from whorl.beads.catalogue import CATALOGUE


@pytest.mark.parametrize("group", pages.groups())
def test_a_groups_page_is_what_the_catalogue_says(group):
    written = (pages.PAGES / f"{group}.md").read_text(encoding="utf-8")
    assert written == pages.page(group), "run: ./run docs"
    for spec in CATALOGUE.values():
        if spec.group == group:
            assert f"`{spec.kind}`" in written and spec.words in written
            assert all(p.words in written for p in spec.params)


def test_the_index_names_every_group():
    assert (pages.PAGES / "README.md").read_text(encoding="utf-8") == pages.index(), "run: ./run docs"


def test_there_is_a_picture_of_every_kind_and_of_no_other():
    assert {p.stem for p in pages.PICTURES.glob("*.png")} == set(CATALOGUE)


@pytest.mark.parametrize("kind", ["noise", "bands", "hexagons", "bump", "temperature", "spiral", "twirl"])
def test_a_picture_is_what_the_kind_draws(kind):
    kept = np.asarray(Image.open(pages.PICTURES / f"{kind}.png").convert("RGB"), np.float32) / 255
    drawn = np.moveaxis(np.clip(pages.picture_of(kind)[:3], 0, 1), 0, -1)
    assert np.abs(kept - drawn).mean() < 0.004, "run: ./run docs"
