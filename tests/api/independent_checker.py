"""A checker of seals written from docs/seal.md alone; nothing of the application is imported."""

import hashlib
import json
import pathlib
import sys

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey


def wrong(path, key):
    """Every place at which something is wrong."""
    table, trusted = json.loads(pathlib.Path(path).read_bytes()), {key}
    found, before = [], None
    for seal in table["seals"]:
        text = seal["document"].encode()
        inside = json.loads(text)
        public = bytes.fromhex(table["keys"][seal["key"]])
        try:
            Ed25519PublicKey.from_public_bytes(public).verify(bytes.fromhex(seal["signature"]), text)
        except InvalidSignature:
            found.append(seal["place"])
        named = hashlib.sha256(public).hexdigest()[:16] == seal["key"] == inside["key"]
        follows = before is None or seal["place"] != before["place"] + 1 or inside["previous"] == before["sha256"]
        gap = table["whole"] and seal["place"] != (before["place"] if before else 0) + 1
        same = hashlib.sha256(text).hexdigest() == seal["sha256"] and inside["place"] == seal["place"]
        if seal["key"] not in trusted:
            found.append(seal["place"])
        elif inside["kind"] == "key" and not inside["lost"]:
            trusted.add(hashlib.sha256(bytes.fromhex(inside["new_key"])).hexdigest()[:16])
        if gap or not (named and follows and same):
            found.append(seal["place"])
        before = seal
    return found


if __name__ == "__main__":
    sys.exit(1 if wrong(sys.argv[1], sys.argv[2]) else 0)
