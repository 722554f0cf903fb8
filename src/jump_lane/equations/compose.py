"""Formulas as expressions: what vanishes or changes nothing is left out."""

from __future__ import annotations

import ast


class _Folding(ast.NodeTransformer):
    """Leaves out terms that are nothing, factors of one, and what is multiplied by nothing."""

    def visit_BinOp(self, node: ast.BinOp) -> ast.expr:
        """Fold both sides first, then the operation."""
        self.generic_visit(node)
        left, right = node.left, node.right
        match node.op:
            case ast.Add():
                return right if _is(left, 0) else left if _is(right, 0) else node
            case ast.Sub():
                if _is(right, 0):
                    return left
                return ast.UnaryOp(ast.USub(), right) if _is(left, 0) else node
            case ast.Mult():
                if _is(left, 0) or _is(right, 0):
                    return ast.Constant(0)
                return right if _is(left, 1) else left if _is(right, 1) else node
            case ast.Div():
                return left if _is(left, 0) or _is(right, 1) else node
            case ast.Pow() if _is(left, 0):
                return left
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.expr:
        """Leave out the sign of nothing."""
        self.generic_visit(node)
        return node.operand if _is(node.operand, 0) else node


def _is(node: ast.expr, value: float) -> bool:
    return isinstance(node, ast.Constant) and node.value == value


def folded(tree: ast.Expression) -> ast.Expression:
    """Return an expression without what vanishes or changes nothing."""
    tree.body = _Folding().visit(tree.body)
    return ast.fix_missing_locations(tree)
