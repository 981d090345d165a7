// Written by make contract from the table of settings (internal/core/setting).
/** The settings of each group of the panel. */
export const groups = {'dress': ['padding', 'border', 'corner', 'shadow', 'background', 'scheme', 'dim', 'colours'], 'frame': ['width', 'min_width', 'max_width', 'height', 'min_height', 'max_height', 'align'], 'pages': ['open_at', 'zoom', 'least_zoom', 'narrow_zoom', 'most_zoom', 'row_scale', 'flow', 'facing', 'order', 'navigation', 'fore_edge', 'pointer'], 'take': ['download', 'print', 'copying', 'text_view', 'sites', 'guarded'], 'toolbar': ['toolbar', 'bar_place', 'bar_shown', 'name', 'tools', 'narrow_out']};
/** Those that only size or place the frame, or lie around it. */
export const outer = new Set(['width', 'min_width', 'max_width', 'height', 'min_height', 'max_height', 'align', 'shadow']);
/** Numbers that are empty where they set no limit. */
export const limits = new Set(['min_width', 'max_width', 'min_height', 'max_height', 'least_zoom', 'narrow_zoom', 'most_zoom']);
/** Other numbers. */
export const numbers = ['open_at', 'padding', 'border', 'corner'];
