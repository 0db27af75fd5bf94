"""From rows and a block's definition to ordered columns, level boundaries and computed cells."""
