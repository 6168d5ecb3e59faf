"""A module without its comments, docstrings and annotations, for chips that keep programs in RAM."""

import ast


def plain_text(text: str) -> str:
    """The same program, in as few characters as ast writes it."""
    made: ast.AST = Plain().visit(ast.parse(text))  # type: ignore[assignment]
    return ast.unparse(ast.fix_missing_locations(made)) + "\n"


class Plain(ast.NodeTransformer):
    """Leaves out of a tree what does nothing when it runs."""

    def visit(self, node: ast.AST) -> ast.AST | None:
        """Without texts that stand alone, and with something in every body."""
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            return None
        made: ast.AST | None = super().visit(node)
        blocks = ast.FunctionDef | ast.ClassDef | ast.If | ast.For | ast.While
        if isinstance(made, blocks) and not made.body:
            made.body = [ast.Pass()]
        if isinstance(made, ast.FunctionDef):
            made.returns = None
            for one in made.args.args:
                one.annotation = None
        return made

    def visit_Assign(self, node: ast.Assign) -> ast.stmt | list[ast.stmt]:
        """Two stores for two values: with brackets around them, as ast writes them, MicroPython makes a tuple
        of them first, on its heap."""
        into, value = node.targets[0], node.value
        if not (isinstance(into, ast.Tuple) and isinstance(value, ast.Tuple)):
            return node
        made: list[ast.stmt] = []
        pairs = zip(into.elts, value.elts, strict=True)
        stored: set[str] = set()
        for target, one in pairs:
            if stored & {name.id for name in ast.walk(one) if isinstance(name, ast.Name)}:
                return node
            stored |= {target.id} if isinstance(target, ast.Name) else set()
            made.append(ast.Assign([target], one))
        return made

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.stmt | None:
        """A store without its width."""
        if node.value is None:
            return None
        return ast.copy_location(ast.Assign([node.target], node.value), node)
