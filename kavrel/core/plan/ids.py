"""Ids that follow from the registries: there is no second list of them."""

from typing import Annotated

from kavrel.core.registry import OneOf

FamilyId = Annotated[str, OneOf("kavrel.core.pools.families:FAMILIES", "layout")]
FilesystemId = Annotated[str, OneOf("kavrel.core.filesystems:FILESYSTEMS", "file system")]
ProtocolId = Annotated[str, OneOf("kavrel.core.shares.protocols:EXPORTS", "protocol")]
JobKind = Annotated[str, OneOf("kavrel.core.kinds:KINDS", "kind of job")]
