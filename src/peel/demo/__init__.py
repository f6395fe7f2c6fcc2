"""The made-up commission that Peel ships with: workshop photographs of the Hollow Lantern Puppet Theatre.

The pictures are drawn by this package (`python -m peel.demo.make`), each with its exact matte and true colours.
"""
