"""From keys in row order to groups: `boundaries`, where each begins; `hierarchy`, groups that form a tree."""
