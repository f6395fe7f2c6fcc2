"""What a camera and its file format do to a clean picture: colours filled in between a sensor's, sharpened, compressed."""

import cv2
import numpy as np

__all__ = ["through_camera"]

_SHARPENING = (0.6, 1.0)  # amount, and radius in pixels
_QUALITY = 90  # of the JPEG, whose colours are kept at half size


def through_camera(photo: np.ndarray) -> np.ndarray:
    """Give (H, W, 3) float32 values in [0, 1] as a camera's JPEG would show them."""
    values = (np.clip(photo, 0, 1) * 65535).round().astype(np.uint16)
    sensor = values[..., 1].copy()  # green, with red and blue in opposite corners of each square of four
    sensor[::2, ::2], sensor[1::2, 1::2] = values[::2, ::2, 0], values[1::2, 1::2, 2]
    filled = cv2.cvtColor(sensor, cv2.COLOR_BayerRGGB2RGB).astype(np.float32) / 65535
    amount, radius = _SHARPENING
    sharp = filled + amount * (filled - cv2.GaussianBlur(filled, (0, 0), radius))
    pixels = (np.clip(sharp[..., ::-1], 0, 1) * 255).round().astype(np.uint8)
    coded = cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])[1]
    decoded = cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]
    return np.ascontiguousarray(decoded, np.float32) / np.float32(255)
