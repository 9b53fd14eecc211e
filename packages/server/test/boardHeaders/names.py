"""Says which names a program uses and never makes: imports, functions, arguments and what Python brings count as made."""
import ast
import builtins
import sys

tree = ast.parse(open(sys.argv[1]).read())
made = set(dir(builtins))
for node in ast.walk(tree):
    if isinstance(node, (ast.Import, ast.ImportFrom)):
        made.update((name.asname or name.name).split(".")[0] for name in node.names)
    elif isinstance(node, (ast.FunctionDef, ast.ClassDef)):
        made.add(node.name)
    elif isinstance(node, ast.arg):
        made.add(node.arg)
    elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
        made.add(node.id)
    elif isinstance(node, ast.ExceptHandler) and node.name:
        made.add(node.name)
for node in ast.walk(tree):
    if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load) and node.id not in made:
        print("%s:%d: %s" % (sys.argv[1], node.lineno, node.id))
