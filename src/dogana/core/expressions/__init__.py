"""Expressions over the facts: CEL, typed against the published facts when a policy is saved.

`types` knows the facts' types, `reader` turns text into a tree with places, `checker` types the tree,
`program` compiles and evaluates.
"""
