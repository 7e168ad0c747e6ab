"""Prim Lantern over HTTP: the OpenID Authorization API, SCIM 2.0, health and metrics."""

from prim_lantern.serve.app import service
from prim_lantern.serve.tokens import SCOPES, Token, Tokens

__all__ = ["SCOPES", "Token", "Tokens", "service"]
