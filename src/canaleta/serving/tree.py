"""Nodes of the OPC UA address space, made directly: what is the same for all of them is kept once.

The library's own service checks each new node against all its neighbours and gives it every attribute there is. A server of
10,000 points with ranges and units was open after 15 s of processor with 457 MB by it, and is after 6 to 8 with 301 so
(bench/served.py).
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import Any

from asyncua import ua
from asyncua.server.address_space import AddressSpace, AttributeValue, NodeData
from asyncua.ua.attribute_ids import AttributeIds
from asyncua.ua.object_ids import ObjectIds

__all__ = ["NS", "Tree", "named", "point_node", "std"]

NS = 2
_FALSE, _TRUE = (ua.Variant(on, ua.VariantType.Boolean) for on in (False, True))


@lru_cache(maxsize=256)
def std(number: int) -> ua.NodeId:
    """A node of the standard."""
    return ua.NodeId(ua.Int32(number))


def named(name: str) -> ua.NodeId:
    """A node of ours by a name."""
    return ua.NodeId(ua.String(name), ua.Int16(NS))


def point_node(point: int) -> ua.NodeId:
    """The node of a point."""
    return ua.NodeId(ua.Int32(point), ua.Int16(NS), ua.NodeIdType.Numeric)


def _kept(value: Any, kind: ua.VariantType) -> AttributeValue:
    return AttributeValue(ua.DataValue(ua.Variant(value, kind)))


@lru_cache(maxsize=256)
def _same(value: Any, kind: ua.VariantType) -> AttributeValue:
    """An attribute that many nodes have alike: nobody writes there."""
    return _kept(value, kind)


@lru_cache(maxsize=64)
def _typed(kind: int) -> ua.ReferenceDescription:
    return _reference(std(ObjectIds.HasTypeDefinition), std(kind), ua.NodeClass.Unspecified, "", NS, forward=True)


def _reference(
    by: ua.NodeId, to: ua.NodeId, kind: ua.NodeClass, name: str, space: int, *, forward: bool, type_: ua.NodeId | None = None
) -> ua.ReferenceDescription:  # fmt: skip
    out = ua.ReferenceDescription()
    out.ReferenceTypeId, out.IsForward, out.NodeClass = by, forward, kind
    out.NodeId = to
    out.BrowseName, out.DisplayName = ua.QualifiedName(name, ua.UInt16(space)), ua.LocalizedText(name)
    if type_ is not None:
        out.TypeDefinition = type_
    return out


class Tree:
    """What is below the standard's folder of objects. space: of the server."""

    def __init__(self, space: AddressSpace) -> None:
        self._space = space
        self._folders: dict[str, NodeData] = {}
        self._up: dict[str, ua.ReferenceDescription] = {}
        self._watched: dict[int, AttributeValue] = {}

    def keep(self, values: dict[int, AttributeValue]) -> None:
        """The values of points that are made anew next: whoever watches them goes on."""
        self._watched |= values

    def folder(self, name: str, title: str, parent: str) -> None:
        """A folder below another, "" for the standard's; it stays where it is already."""
        if name in self._folders:
            return
        above = self._folders[parent] if parent else self._space[std(ObjectIds.ObjectsFolder)]
        node = NodeData(named(name))
        node.attributes = self._plain(node, title, NS, ua.NodeClass.Object) | {
            AttributeIds.EventNotifier: _same(0, ua.VariantType.Byte),
        }
        organizes = std(ObjectIds.Organizes)
        up = _reference(organizes, above.nodeid, ua.NodeClass.Object, "", NS, forward=False)
        node.references = [up, _typed(ObjectIds.FolderType)]
        above.references.append(
            _reference(
                organizes, node.nodeid, ua.NodeClass.Object, title, NS, forward=True, type_=std(ObjectIds.FolderType)
            )
        )
        self._space[node.nodeid] = node
        self._folders[name] = node
        self._up[name] = _reference(organizes, node.nodeid, ua.NodeClass.Object, title, NS, forward=False)

    def empty_folders(self, names: Iterable[str]) -> None:
        """Take folders away that nothing stands in."""
        for name in names:
            node = self._folders.get(name)
            if node is None or any(
                r.IsForward and r.ReferenceTypeId == std(ObjectIds.Organizes) for r in node.references
            ):
                continue
            above = self._space[node.references[0].NodeId]
            above.references = [r for r in above.references if r.NodeId != node.nodeid]
            del self._space[node.nodeid]
            del self._folders[name], self._up[name]

    def variable(
        self, point: int, title: str, says: str, kind: int, data: int, parents: Iterable[str], access: int,
        properties: Iterable[tuple[str, ua.Variant, int]],
    ) -> AttributeValue:  # fmt: skip
        """A point below folders, with its properties: (name, value, data type) each. Returns its value, which whoever watched it
        before goes on watching."""
        node = NodeData(point_node(point))
        value = self._watched.pop(point, None) or _kept(None, ua.VariantType.Null)
        node.attributes = self._plain(node, title, NS, ua.NodeClass.Variable) | {
            AttributeIds.Description: _same(None, ua.VariantType.Null)
            if not says
            else _kept(ua.LocalizedText(says), ua.VariantType.LocalizedText),
            AttributeIds.Value: value,
            AttributeIds.DataType: _same(std(data), ua.VariantType.NodeId),
            AttributeIds.ValueRank: _same(-1, ua.VariantType.Int32),
            AttributeIds.AccessLevel: _same(access, ua.VariantType.Byte),
            AttributeIds.UserAccessLevel: _same(access, ua.VariantType.Byte),
            AttributeIds.Historizing: AttributeValue(ua.DataValue(_TRUE)),
            AttributeIds.MinimumSamplingInterval: _same(0.0, ua.VariantType.Double),
        }
        organizes, type_ = std(ObjectIds.Organizes), std(kind)
        node.references = [_typed(kind)]
        for parent in parents:
            node.references.append(self._up[parent])
            self._folders[parent].references.append(
                _reference(organizes, node.nodeid, ua.NodeClass.Variable, title, NS, forward=True, type_=type_)
            )
        has = std(ObjectIds.HasProperty)
        back = _reference(has, node.nodeid, ua.NodeClass.Variable, title, NS, forward=False)
        for name, holds, of in properties:
            one = NodeData(named(f"{point}.{name}"))
            one.attributes = self._plain(one, name, 0, ua.NodeClass.Variable) | {
                AttributeIds.Value: AttributeValue(ua.DataValue(holds)),
                AttributeIds.DataType: _same(std(of), ua.VariantType.NodeId),
                AttributeIds.ValueRank: _same(-1, ua.VariantType.Int32),
                AttributeIds.AccessLevel: _same(1, ua.VariantType.Byte),
                AttributeIds.UserAccessLevel: _same(1, ua.VariantType.Byte),
                AttributeIds.Historizing: AttributeValue(ua.DataValue(_FALSE)),
            }
            one.references = [back, _typed(ObjectIds.PropertyType)]
            node.references.append(
                _reference(
                    has, one.nodeid, ua.NodeClass.Variable, name, 0, forward=True, type_=std(ObjectIds.PropertyType)
                )
            )
            self._space[one.nodeid] = one
        self._space[node.nodeid] = node
        return value

    def allow(self, point: int, access: int) -> None:
        """How a point may be reached from now on."""
        node = self._space.get(point_node(point))
        if node is not None:
            for attribute in (AttributeIds.AccessLevel, AttributeIds.UserAccessLevel):
                node.attributes[attribute] = _same(access, ua.VariantType.Byte)

    def drop(self, points: Iterable[int]) -> list[AttributeValue]:
        """Take points out of the tree with all that is theirs. Returns their values, for whoever still watches them."""
        folders: dict[ua.NodeId, set[ua.NodeId]] = {}
        out = []
        for point in points:
            node = self._space.get(point_node(point))
            if node is None:
                continue
            out.append(node.attributes[AttributeIds.Value])
            for ref in node.references:
                if ref.ReferenceTypeId == std(ObjectIds.HasProperty) and ref.IsForward:
                    del self._space[ref.NodeId]
                elif not ref.IsForward:
                    folders.setdefault(ref.NodeId, set()).add(node.nodeid)
            del self._space[node.nodeid]
        for folder, gone in folders.items():
            above = self._space[folder]
            above.references = [r for r in above.references if r.NodeId not in gone]
        return out

    @staticmethod
    def _plain(node: NodeData, title: str, space: int, kind: ua.NodeClass) -> dict[Any, AttributeValue]:
        return {
            AttributeIds.NodeId: _kept(node.nodeid, ua.VariantType.NodeId),
            AttributeIds.NodeClass: _same(kind, ua.VariantType.Int32),
            AttributeIds.BrowseName: _kept(ua.QualifiedName(title, ua.UInt16(space)), ua.VariantType.QualifiedName),
            AttributeIds.DisplayName: _kept(ua.LocalizedText(title), ua.VariantType.LocalizedText),
            AttributeIds.WriteMask: _same(0, ua.VariantType.UInt32),
            AttributeIds.UserWriteMask: _same(0, ua.VariantType.UInt32),
        }
