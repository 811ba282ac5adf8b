"""Reads of kit files."""

from dactyl.kits.models import KitFile


def held_files() -> set[str]:
    """Return the names of incoming files and folders of kit files that are not open yet."""
    rows = KitFile.objects.filter(kit=None).exclude(stored_as="").values_list("pk", "stored_as")
    return {name for pk, stored_as in rows for name in (stored_as, unpacked_name(pk))}


def unpacked_name(kit_file_id: int) -> str:
    """Return the name of the folder in which a kit file is unpacked: the same at each try, so that a kill leaves one at most."""
    return f"kit-{kit_file_id}"
