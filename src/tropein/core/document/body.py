"""Parts of a body that can be followed by name; left is the subject's left."""

from __future__ import annotations

from typing import Literal, get_args

BodyPart = Literal[
    "head", "left ear", "right ear", "left shoulder", "right shoulder", "left elbow", "right elbow", "left wrist", "right wrist",
    "left hip", "right hip", "left knee", "right knee", "left ankle", "right ankle", "left heel", "right heel", "left toes",
    "right toes", "left palm", "right palm", "left thumb tip", "right thumb tip", "left index fingertip",
    "right index fingertip", "left middle fingertip", "right middle fingertip", "left ring fingertip", "right ring fingertip",
    "left little fingertip", "right little fingertip",
]  # fmt: skip
BODY_PARTS: tuple[str, ...] = get_args(BodyPart)
