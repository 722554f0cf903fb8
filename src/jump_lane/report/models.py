"""x"""

OUTPUTS = {}
