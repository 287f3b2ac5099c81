"""Opening a media file, with a sentence for each way that it can fail."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import av
from av.audio.stream import AudioStream
from av.container import InputContainer

from tempik.disk.reading import regular_size
from tempik.errors import TempikError
from tempik.media.drawn import stands_for

# What footage, sound and stills come in. Lists of other files are no media: whoever wrote one chooses what is read.
_KINDS = (
    "mov,matroska,webm,avi,mpegts,mpeg,mpegvideo,m4v,h264,hevc,av1,ivf,obu,vc1,flv,asf,mxf,dv,gxf,nut,rm,yuv4mpegpipe,"
    "mjpeg,ogg,wav,w64,aiff,au,caf,mp3,flac,aac,ac3,eac3,dts,truehd,amr,ape,tta,wv,mpc,mpc8,dsf,voc,tak,"
    "image2,png_pipe,jpeg_pipe,jpegls_pipe,jpegxl_pipe,jpegxl_anim,webp_pipe,webp,bmp_pipe,tiff_pipe,gif,gif_pipe,apng,"
    "j2k_pipe,ppm_pipe,pgm_pipe,pbm_pipe,pam_pipe,pfm_pipe,exr_pipe,hdr_pipe,dpx_pipe,qoi_pipe,sgi_pipe,psd_pipe"
)
# `%03d` in a name is those letters, not a run of other files.
_OPTIONS = {"format_whitelist": _KINDS, "protocol_whitelist": "file", "pattern_type": "none"}


@contextmanager
def opened(path: str) -> Iterator[InputContainer]:
    """Open a media file for reading. Raises TempikError naming the file and the mend."""
    container = open_media(path)
    try:
        yield container
    finally:
        container.close()


def open_media(path: str) -> InputContainer:
    """Open a media file; the caller closes it. Raises TempikError naming the file and the mend."""
    if regular_size(path) == 0:
        raise TempikError(f"{path} is empty (0 bytes); copy it again from where it came.")
    file = Path(stands_for(path)).absolute()  # a name that begins with a slash is never taken for one with a protocol
    try:
        return av.open(str(file), options=_OPTIONS, metadata_errors="replace")
    except PermissionError as error:
        raise TempikError(f"{path} may not be read; change its permissions or copy it.") from error
    except (av.error.FFmpegError, OSError) as error:
        if _looks_cut_off(file):
            raise TempikError(
                f"{path} is cut off: its index is missing, so it cannot be played; copy it again or repair it."
            ) from error
        raise TempikError(f"{path} is not a media file that can be read; choose a video or sound file.") from error


def sound_stream(container: InputContainer) -> AudioStream | None:
    """Return the first sound of a file that there is a decoder for; cameras write others beside it."""
    return next((s for s in container.streams.audio if s.codec_context is not None), None)


def is_media(path: str) -> bool:
    """Tell whether a file holds a picture or a sound that can be decoded."""
    try:
        with opened(path) as container:
            stream = next((s for s in container.streams if s.type in ("video", "audio")), None)
            return stream is not None and next(iter(container.decode(stream)), None) is not None
    except (TempikError, av.error.FFmpegError, OSError):
        return False


def _looks_cut_off(file: Path) -> bool:
    """Tell whether the file begins as ISO base media (ISO/IEC 14496-12) but has no complete `moov` box."""
    try:
        size = file.stat().st_size
        with file.open("rb") as data:
            at = 0
            while at + 8 <= size:
                data.seek(at)
                head = data.read(16)
                length, kind = int.from_bytes(head[:4], "big"), head[4:8]
                if at == 0 and kind != b"ftyp":
                    return False
                if length == 1:
                    length = int.from_bytes(head[8:16], "big")
                if kind == b"moov":
                    return at + length > size
                if length < 8:
                    return at > 0
                at += length
            return at > 0
    except OSError:
        return False
